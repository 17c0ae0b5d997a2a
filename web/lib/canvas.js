// What all canvases share.

/** @typedef {{dirty: boolean, draw: () => void, redraw: () => void}} View */

/** @type {View | null} */
let drawing = null;

/** The view that is being drawn, so that what it lacks can tell it when it comes. */
export const drawn = () => drawing;

/** Draws what is dirty, once a frame. @param {View} view */
export function paint(view) {
  const frame = () => {
    if (view.dirty) {
      drawing = view;
      try {
        view.draw();
      } finally {
        drawing = null;
      }
    }
    requestAnimationFrame(frame);
  };
  requestAnimationFrame(frame);
}

/**
 * Fits a canvas's pixels to its place on the screen.
 * @param {HTMLCanvasElement} canvas
 * @param {number} width
 * @param {number} height
 */
export function fit(canvas, width, height) {
  const scale = devicePixelRatio || 1;
  const w = Math.max(Math.round(width * scale), 1),
    h = Math.max(Math.round(height * scale), 1);
  if (canvas.width !== w || canvas.height !== h) {
    canvas.width = w;
    canvas.height = h;
    canvas.style.width = `${width}px`;
    canvas.style.height = `${height}px`;
  }
  const g = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  g.setTransform(scale, 0, 0, scale, 0, 0);
  g.clearRect(0, 0, width, height);
  return g;
}
