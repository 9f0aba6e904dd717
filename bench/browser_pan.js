// Drags the map for some frames of the display and times what lies between them. Evaluated by bench/browser.py.
async (frames) => {
  const map = document.querySelector('[data-testid="map"]');
  const box = map.getBoundingClientRect();
  const [x, y] = [box.left + box.width / 2, box.top + box.height / 2];
  const tell = (type, dx) =>
    map.dispatchEvent(
      new PointerEvent(type, { bubbles: true, pointerId: 1, clientX: x + dx, clientY: y, isPrimary: true }),
    );
  map.setPointerCapture = () => {};
  tell("pointerdown", 0);
  const times = [];
  let last = 0;
  for (let i = 0; i < frames; i++) {
    const now = await new Promise((done) => requestAnimationFrame(done));
    if (last) times.push(now - last);
    last = now;
    tell("pointermove", 80 * Math.sin(i / 8));
  }
  tell("pointerup", 0);
  delete map.setPointerCapture;
  return times;
};
