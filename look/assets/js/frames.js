// A page in a frame is laid out at the width it claims, and made smaller where there is less room.
import { onView } from "./view.js";

const widths = { phone: 360, tablet: 768, wide: 1280 };

onView(".frame", (frame, signal) => {
  const width = Object.entries(widths).find(([name]) => frame.classList.contains(name))?.[1];
  const page = frame.querySelector("iframe");
  if (!width || !page || frame.classList.contains("small")) return;
  const fit = () => {
    const scale = Math.min(1, frame.clientWidth / width);
    page.style.width = `${width}px`;
    page.style.height = `${frame.clientHeight / scale}px`;
    page.style.transform = `scale(${scale})`;
    page.style.transformOrigin = "0 0";
  };
  const room = new ResizeObserver(fit);
  room.observe(frame);
  signal.addEventListener("abort", () => room.disconnect());
});
