/** Which window shows what: the server tells all of them once, and then what differs. */
export interface Place {
  window: string;
  place: string;
  who: string;
}

/** The places after a window went to another one, or, with an empty one, was closed. */
export const afterMove = (places: Place[], { window, place, who }: Place): Place[] => [
  ...places.filter((other) => other.window !== window),
  ...(place ? [{ window, place, who }] : []),
];
