// Milliseconds from the next move of the pointer to the break standing elsewhere and the map painted anew.
async () => {
  const canvas = document.querySelector("canvas[data-still]");
  const line = document.querySelector('[role="slider"][aria-label^="Break 2"]');
  const frame = () => new Promise((done) => requestAnimationFrame(done));
  while (canvas.dataset.still !== "true") await frame();
  const [shown, stood] = [canvas.dataset.painted, line.getAttribute("aria-valuenow")];
  const moved = await new Promise((done) => {
    window.addEventListener("pointermove", (event) => done(event.timeStamp), { once: true, capture: true });
    window.armed = true;
  });
  for (let i = 0; i < 60; i++) {
    if (canvas.dataset.painted !== shown && line.getAttribute("aria-valuenow") !== stood) return performance.now() - moved;
    await frame();
  }
  return -1; // the break stands at its neighbour
};
