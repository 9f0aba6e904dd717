/** Over what a page is drawn again and again. */
import { Pick } from "../parts/Fields";
import { Quiet, Unfold } from "../parts/parts";
import type { FigurePlan } from "../plan/types";
import type { Preview } from "../state/figures";

type Series = NonNullable<FigurePlan["series"]>;

const OVER: readonly (readonly [Series["over"] | "", string])[] = [
  ["", "this page alone"],
  ["words", "one for each kind of event"],
  ["measures", "one for each measure"],
  ["windows", "one for each recorded window"],
  ["years", "one for each year"],
  ["months", "one for each month"],
  ["areas", "one for each area"],
];
const CLASSES: readonly (readonly [Series["classes"], string])[] = [
  ["map", "those of the map"],
  ["all pages", "common to all pages"],
  ["own", "each page its own"],
];

interface Props {
  d: FigurePlan;
  page: Preview;
  change: (document: FigurePlan) => void;
}

export function SeriesForm({ d, page, change }: Props) {
  const series = d.series;
  const put = (next: Series | null) => change({ ...d, series: next });
  const begin = (over: Series["over"] | "") => {
    if (over === "") return put(null);
    const column = over === "words" ? (page.words[0] ?? null) : null;
    put({ over, column, classes: over === "measures" ? "own" : "map" });
  };
  const over = OVER.filter(([value]) => value !== "words" || page.words.length > 0);
  return (
    <Unfold title="A series of pages" open={series !== null}>
      <Pick<Series["over"] | "">
        label="How many pages"
        value={series?.over ?? ""}
        options={over}
        onChange={begin}
      />
      {series?.over === "words" && (
        <Pick
          label="Kinds by"
          value={series.column ?? ""}
          options={page.words.map((w) => [w, w] as const)}
          onChange={(column) => put({ ...series, column })}
        />
      )}
      {series?.over === "areas" && page.columns.length > 0 && (
        <Pick
          label="Areas together by"
          value={series.column ?? ""}
          options={[["", "nothing: each by itself"], ...page.columns.map((c) => [c, c] as const)]}
          onChange={(column) => put({ ...series, column: column || null })}
        />
      )}
      {series && series.over !== "areas" && (
        <Pick
          label="Classes"
          value={series.classes}
          options={CLASSES}
          onChange={(classes) => put({ ...series, classes })}
        />
      )}
      {series && <Quiet>{page.pages.length} pages, drawn alike.</Quiet>}
    </Unfold>
  );
}
