/** A canvas that lies over the map, as large as it, and as fine as the screen. */
export function cleared(
  element: HTMLCanvasElement,
  size: { width: number; height: number },
): CanvasRenderingContext2D | null {
  const ratio = window.devicePixelRatio || 1;
  element.width = Math.round(size.width * ratio);
  element.height = Math.round(size.height * ratio);
  const context = element.getContext("2d");
  context?.scale(ratio, ratio);
  return context;
}
