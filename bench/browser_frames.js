// Times the page's own painting worker on shapes of a wanted size. Evaluated in the page by bench/browser.py.
async ({ kind, payload, frames }) => {
  const url = performance
    .getEntriesByType("resource")
    .map((r) => r.name)
    .find((n) => n.includes("worker"));
  const worker = new Worker(url, { type: "module" });
  const canvas = new OffscreenCanvas(1, 1);
  worker.postMessage({ kind: "canvas", canvas }, [canvas]);
  const areas = payload.areas;
  if (kind === "zones") {
    const rings = {
      xy: Float32Array.from(payload.xy),
      start: Int32Array.from(payload.start),
      owner: Int32Array.from(payload.owner),
    };
    worker.postMessage({ kind: "shapes", shapes: { kind, rings, insets: [] } });
  } else {
    const [column, row] = [payload.column, payload.row].map((c) => Int32Array.from(c));
    const area = Int32Array.from(column, (_, i) => i);
    const shapes = { kind, column, row, area, lattice: payload.lattice, insets: [], inset: null };
    worker.postMessage({ kind: "shapes", shapes });
  }
  const look = {
    colour: Uint32Array.from({ length: areas }, (_, i) => 0xff000000 + ((i * 2654435761) % 0xffffff)),
    hatched: new Uint8Array(areas),
    doubtful: new Uint8Array(areas),
    lined: new Uint8Array(areas).fill(1),
    background: 0xffffffff,
    hairline: 0xfff0f0f0,
    ink: 0xff000000,
    hatch: 0xff888888,
    marked: [3],
  };
  const ask = (frame, view, still) =>
    new Promise((done) => {
      worker.onmessage = ({ data }) => done(data.ms);
      worker.postMessage({ kind: "frame", frame, view, width: 954, height: 644, ratio: 1, look, insets: [], still });
    });
  const { left, top, scale } = payload.view;
  const times = { pan: [], zoom: [], recolour: [], still: [] };
  for (let i = 0; i < frames; i++) {
    times.pan.push(await ask(i, { scale, left: left + ((i % 20) * 3) / scale, top }, false));
  }
  for (let i = 0; i < frames; i++) {
    times.zoom.push(await ask(i, { scale: scale * (1 + 0.05 * (i % 20)), left, top }, false));
  }
  for (let i = 0; i < frames; i++) times.recolour.push(await ask(i, { scale, left, top }, false));
  for (let i = 0; i < 8; i++) times.still.push(await ask(i, { scale, left: left + i / scale, top }, true));
  worker.terminate();
  return times;
};
