/** Whether a key belongs to a field. */
export function inField(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  return !!target?.checkVisibility() && !!target.closest("input, textarea, select, [contenteditable], [role=combobox]");
}

/** Whether a key belongs to a field or an open dialog rather than to the screen. */
export function isTyping(event: KeyboardEvent): boolean {
  // A dialog that has just closed may still hold the focus; its keys are the screen's again.
  if ((event.target as HTMLElement | null)?.closest("[role=dialog]")?.checkVisibility()) return true;
  return inField(event);
}
