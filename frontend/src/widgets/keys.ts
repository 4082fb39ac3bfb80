/** Whether a key belongs to a field or an open dialog rather than to the screen. */
export function isTyping(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  // A dialog that has just closed may still hold the focus; its keys are the screen's again.
  if (target?.closest("[role=dialog]")?.checkVisibility()) return true;
  return !!target?.checkVisibility() && !!target.closest("input, textarea, select, [contenteditable], [role=combobox]");
}
