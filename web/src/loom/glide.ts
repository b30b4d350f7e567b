import { place } from "../lib/place";

const MS = 220;

/** Changes how the loom hangs; where the device at the cursor goes is shown, so that the eye does not lose it. Nothing else moves. */
export function gliding(change: () => void): void {
  const id = `knot-${place.get().cursor}`;
  const from = document.getElementById(id)?.getBoundingClientRect();
  change();
  if (!from || matchMedia("(prefers-reduced-motion: reduce)").matches) return;
  // The first frame draws it, the second has brought it into view.
  requestAnimationFrame(() => requestAnimationFrame(() => glide(from, document.getElementById(id)?.getBoundingClientRect())));
}

function glide(from: DOMRect, to: DOMRect | undefined): void {
  if (!to || (Math.abs(from.left - to.left) < 4 && Math.abs(from.top - to.top) < 4)) return;
  const ring = document.createElement("div");
  ring.setAttribute("aria-hidden", "true");
  Object.assign(ring.style, { position: "fixed", pointerEvents: "none", zIndex: "40", border: "2px solid var(--indigo)", borderRadius: "3px" });
  document.body.append(ring);
  const at = (box: DOMRect) => ({ left: `${box.left}px`, top: `${box.top}px`, width: `${box.width}px`, height: `${box.height}px` });
  const done = () => ring.remove();
  ring.animate([at(from), at(to)], { duration: MS, easing: "ease-out" }).finished.then(done, done);
}
