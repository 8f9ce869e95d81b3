/** Set the renderer to the rectangle of an element of the board and clear it; false when it is hidden. */
export function enterViewport(renderer, board, element) {
  const inner = element.getBoundingClientRect();
  const outer = board.getBoundingClientRect();
  if (inner.width < 2 || inner.height < 2) return false;
  const x = inner.left - outer.left;
  const y = outer.bottom - inner.bottom;
  renderer.setViewport(x, y, inner.width, inner.height);
  renderer.setScissor(x, y, inner.width, inner.height);
  renderer.clear();
  return true;
}
