/** Gives the focus back to what had it; where that is gone, such as a line of a menu, to the title of the page. */
export function giveBack(to: Element | null) {
  setTimeout(() => {
    // A dialog that follows has the focus already
    if (document.querySelector("[role=dialog]") && !to?.closest("[role=dialog]")) return;
    // Whoever types somewhere else by now goes on there
    const typing = document.activeElement?.matches("input, textarea, select") ? document.activeElement : undefined;
    if (typing && !typing.closest("[role=dialog]")) return;
    if (document.activeElement?.closest("[role=status]")) return; // the result of the act has it
    if (to instanceof HTMLElement && to.isConnected && to !== document.body) to.focus();
    else document.querySelector<HTMLElement>("main h1")?.focus({ preventScroll: true });
  });
}
