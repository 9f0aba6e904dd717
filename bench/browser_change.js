// Choose a multiplier; milliseconds until its figure stands there and the map is painted with it, and till it is crisp.
async (label) => {
  const canvas = document.querySelector("canvas[data-still]");
  const figure = document.querySelector('[data-figure="measure"]');
  const radios = [...document.querySelectorAll('[role="radiogroup"][aria-label="Times what"] label')];
  const radio = radios.find((l) => l.textContent.replace(", which reads best", "").trim() === label);
  const before = figure.textContent;
  const start = performance.now();
  radio.querySelector("input").click();
  const frame = () => new Promise((done) => requestAnimationFrame(done));
  while (document.querySelector('[data-figure="measure"]').textContent === before) await frame();
  const shown = canvas.dataset.painted;
  while (canvas.dataset.painted === shown) await frame();
  const painted = performance.now() - start;
  while (canvas.dataset.still !== "true") await frame();
  return [painted, performance.now() - start];
};
