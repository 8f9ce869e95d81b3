/** Places in a plane: inside an outline, away from a stretch. */

/** Whether a place lies inside an outline, by the crossings of a ray. */
export function contains(outline, [x, y]) {
  let inside = false;
  outline.forEach(([ax, ay], k) => {
    const [bx, by] = outline[(k + 1) % outline.length];
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
  });
  return inside;
}

/** @returns {number} how far a place lies from the stretch between two others */
export function distanceToSegment([x, y], [x1, y1], [x2, y2]) {
  const [dx, dy] = [x2 - x1, y2 - y1];
  const share = Math.max(0, Math.min(1, ((x - x1) * dx + (y - y1) * dy) / (dx * dx + dy * dy || 1)));
  return Math.hypot(x - x1 - share * dx, y - y1 - share * dy);
}
