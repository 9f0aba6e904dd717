/** How residents are known for the open areas: a first guess from what the study holds. Knows no React. */
import type { PlanDocument, Source } from "../api/client";

const PEOPLE = /^(residents|population|pop|people|inhabitants|einwohner|habitants|poblacion|inwoners)\b/i;
const PERIOD = /^(year|jahr|annee|année|ano|jaar|month|quarter|week)$/i;

/** From a column of the areas themselves, else from a table whose code or name columns are matched to the areas. */
export function guessedRate(
  areas: PlanDocument,
  sources: readonly Source[],
  recorded: boolean,
): PlanDocument | null {
  if (areas.kind !== "zones" || !areas.identifier) return null;
  const own = sources.find((s) => s.name === areas.source);
  const ours = own?.columns.find((c) => PEOPLE.test(c));
  const rate = (denominator: PlanDocument): PlanDocument => ({
    kind: "rate",
    per: 10000,
    time: recorded ? "window" : "none",
    denominator,
  });
  if (own && ours) {
    const keys = [{ table: areas.identifier, area: "identifier" }];
    return rate({ source: own.name, keys, value: ours });
  }
  for (const table of sources.filter((s) => s.role === "table")) {
    const value = table.columns.find((c) => PEOPLE.test(c));
    if (!value) continue;
    const period = table.columns.find((c) => PERIOD.test(c));
    const named = table.columns.filter((c) => c !== value && c !== period).slice(0, 2);
    const keys = named.flatMap((c) => [
      { table: c, area: "identifier" },
      ...(areas.name ? [{ table: c, area: "name" }] : []),
    ]);
    const where = (table.facts as { totals?: PlanDocument[] }).totals ?? [];
    if (keys.length) return rate({ source: table.name, keys, value, where, mean_over: period ?? null });
  }
  return null;
}
