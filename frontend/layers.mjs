// Who may know whom: a folder knows those in the rows above its own, and no two of a row; and no file knows itself by a
// way round; and what is keyed by names. Run by `npm run check`.
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, normalize, relative } from "node:path";

const ROWS = [
  ["format.ts", "random.ts", "records.ts", "theme.ts", "unit.ts"],
  ["geometry"],
  ["api", "plan"],
  ["outcome"],
  ["state"],
  ["parts"],
  ["map", "rail"],
  ["account", "card", "figure", "rows", "stages", "studies"],
  ["earlier", "Begin.tsx", "Help.tsx"],
  ["App.tsx"],
  ["main.tsx"],
];
// Of one row, these know each other: the plan is written in the interface's types.
const TOGETHER = [["api", "plan"]];

const root = join(import.meta.dirname, "src");
const files = readdirSync(root, { recursive: true, encoding: "utf8" }).filter(
  (f) => /\.tsx?$/.test(f) && !/\.(test|d)\.ts$/.test(f) && !f.endsWith("schema.d.ts"),
);
const stem = (f) => f.replace(/\.tsx?$/, "");
const known = new Map(files.map((f) => [stem(f), f]));
const imports = new Map();
for (const file of files) {
  const text = readFileSync(join(root, file), "utf8");
  const found = [...text.matchAll(/(?:from|import)\s+"(\.[^"]*)"/g)].map((m) =>
    normalize(join(dirname(file), m[1])),
  );
  imports.set(
    file,
    found.map((f) => known.get(f)).filter((f) => f !== undefined),
  );
}

const room = (file) => (file.includes("/") ? file.slice(0, file.indexOf("/")) : file);
const row = (file) => ROWS.findIndex((r) => r.includes(room(file)));
const wrong = [];
for (const [file, others] of imports) {
  if (row(file) < 0) wrong.push(`${file} is in no row of layers.mjs`);
  for (const other of others) {
    const [a, b] = [room(file), room(other)];
    if (a === b || TOGETHER.some((t) => t.includes(a) && t.includes(b))) continue;
    if (row(other) >= row(file)) wrong.push(`${file} may not know ${other}`);
  }
}

// Circles of files.
const done = new Set();
const way = [];
function visit(file) {
  if (way.includes(file)) {
    wrong.push(`a circle: ${[...way.slice(way.indexOf(file)), file].join(" > ")}`);
    return;
  }
  if (done.has(file)) return;
  way.push(file);
  for (const other of imports.get(file)) visit(other);
  way.pop();
  done.add(file);
}
for (const file of files) visit(file);

// What is keyed by names from files has no prototype: it is made by records.ts alone.
for (const file of files) {
  if (file === "records.ts") continue;
  const text = readFileSync(join(root, file), "utf8");
  for (const [, made] of text.matchAll(/\b(structuredClone|Object\.fromEntries|JSON\.parse)\(/g))
    wrong.push(`${file} makes an object by ${made}: records.ts makes those whose keys are names`);
  for (const [, made] of text.matchAll(/: (?:Partial<)?Record<string, [^=;]*> = (\{\})/g))
    wrong.push(`${file} begins a record with ${made}: record([]) has no names of its own`);
}

// What was asked of the server is read by those who say what is not known of it.
for (const file of files) {
  const text = readFileSync(join(root, file), "utf8");
  if (file !== "state/asked.ts" && /\buse(Suspense|Infinite)?Quer(y|ies)\(/.test(text))
    wrong.push(`${file} asks by itself: useAsked says what failed`);
  if (!["state/asked.ts", "parts/Answer.tsx"].includes(file) && /\bAsked\.known\b/.test(text))
    wrong.push(`${file} reads what may not be known: Answer and useAnswer say so`);
  if (/\buseAnswer\([^;]*?\)\)?\s*\?\?\s*[[{0"]/.test(text) && !file.startsWith("state/"))
    wrong.push(`${file} takes what is not known for none`);
}

if (wrong.length) {
  console.error([...new Set(wrong)].join("\n"));
  process.exit(1);
}
console.log(`${files.length} files in ${ROWS.length} rows; ${relative(".", root)} knows no circle`);
