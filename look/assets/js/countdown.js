// Counts a holding page down. The server says how much is left, so that the
// visitor's clock does not matter.
(() => {
  const line = document.querySelector(".countdown");
  const end = performance.now() + Number(line.dataset.left) * 1000;
  const [days, hours, minutes] = line.querySelectorAll("b");
  const tick = () => {
    const left = Math.max(0, Math.ceil((end - performance.now()) / 1000));
    days.textContent = Math.floor(left / 86400);
    hours.textContent = Math.floor(left / 3600) % 24;
    minutes.textContent = Math.floor(left / 60) % 60;
    if (left === 0) setTimeout(() => location.reload(), 1500);
    else setTimeout(tick, 1000);
  };
  tick();
})();
