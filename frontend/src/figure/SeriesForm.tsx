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
  page: Preview | undefined;
  change: (document: FigurePlan) => void;
}

export function SeriesForm({ d, page, change }: Props) {
  const series = d.series;
  // Where the page cannot be drawn its series is still there to be changed.
  const now = series?.column ? [series.column] : [];
  const [words, columns] = page ? [page.words, page.columns] : [now, now];
  const put = (next: Series | null) => change({ ...d, series: next });
  const begin = (over: Series["over"] | "") => {
    if (over === "") return put(null);
    const column = over === "words" ? (words[0] ?? null) : null;
    put({ over, column, classes: over === "measures" ? "own" : "map" });
  };
  const over = OVER.filter(([value]) => value !== "words" || series?.over === "words" || words.length > 0);
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
          options={words.map((w) => [w, w] as const)}
          onChange={(column) => put({ ...series, column })}
        />
      )}
      {series?.over === "areas" && columns.length > 0 && (
        <Pick
          label="Areas together by"
          value={series.column ?? ""}
          options={[["", "nothing: each by itself"], ...columns.map((c) => [c, c] as const)]}
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
      {series && page && <Quiet>{page.pages.length} pages, drawn alike.</Quiet>}
    </Unfold>
  );
}
