/** What can be done with a job from the list. */
export const ACTS = [
  { key: "double", text: "Duplicate" },
  { key: "out", text: "Take out as file" },
  { key: "delete", text: "Delete" },
] as const;
export type Act = (typeof ACTS)[number]["key"];
