/** Whether a key belongs to a field or an open dialog rather than to the screen. */
export function isTyping(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  return !!target?.closest("input, textarea, select, [contenteditable], [role=combobox], [role=dialog]");
}
