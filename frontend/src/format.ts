/** Figures as they are written on screen. */

/** Made once: while a break is moved, hundreds of figures are written in a frame. */
const formats: Intl.NumberFormat[] = [];

/** With so many places, thousands apart. */
export function fixed(n: number, places: number): string {
  formats[places] ??= new Intl.NumberFormat("en", {
    minimumFractionDigits: places,
    maximumFractionDigits: places,
  });
  return formats[places].format(n);
}

export function whole(n: number): string {
  return fixed(n, 0);
}

/** Three figures at least, thousands apart. */
export function figure(v: number): string {
  const size = Math.abs(v);
  const places = size === 0 || size >= 100 ? 0 : Math.max(0, 2 - Math.floor(Math.log10(size)));
  return fixed(v, places);
}

export function plural(n: number, one: string, many = `${one}s`): string {
  return `${whole(n)} ${n === 1 ? one : many}`;
}

/** A share of one in whole hundredths; nearly all is not all. */
export function percent(part: number | null): string {
  if (part === null) return "–";
  return part < 1 && part >= 0.99 ? "99 %" : `${(100 * part).toFixed(0)} %`;
}

/** The level of an interval: "95 %", "99.8 %". */
export function levelText(level: number): string {
  return `${Number((100 * level).toFixed(2))} %`;
}

/** How likely something is by chance alone. */
export function chanceText(p: number): string {
  return p < 0.001 ? "less than 0.001" : p.toFixed(3);
}

/** How large a file is. */
export function bytes(n: number): string {
  if (n < 1_000) return plural(n, "byte");
  return n < 999_500 ? `${figure(n / 1e3)} kB` : `${figure(n / 1e6)} MB`;
}

const DATE = new Intl.DateTimeFormat("en-GB", { dateStyle: "long", timeStyle: "short" });

/** A day and a time, as ISO 8601 has it, in words. */
export function moment(at: string): string {
  return DATE.format(new Date(at));
}
