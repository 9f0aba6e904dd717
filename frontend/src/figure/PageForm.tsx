/** What of a page cannot be dragged: its size, its words, the look of its boxes. */
import Box from "@mui/material/Box";
import type { Study } from "../api/client";
import { ColourField, Pick } from "../parts/Fields";
import { KeptField, KeptText } from "../parts/KeptField";
import { Link, Unfold } from "../parts/parts";
import { Ticked } from "../parts/Ticked";
import type { FigurePlan } from "../plan/types";
import type { FigureView, Preview } from "../state/figures";
import { MADDER, QUIET } from "../theme";
import { type BoxLook, boxOf, isMoved, unmoved, withBox } from "./places";
import { SeriesForm } from "./SeriesForm";
import { TakePage } from "./TakePage";

interface Props {
  study: Study;
  figure: FigureView;
  page: Preview | undefined;
  change: (document: FigurePlan) => void;
  rename: (name: string) => void;
  remove: () => void;
}

const SIZES = ["A5", "A4", "A3", "Letter", "slide 16:9", "own"] as const;
const FACES = ["Public Sans", "Newsreader", "DejaVu Sans"] as const;
const DRAWN = [
  ["by itself", "where it does not mislead"],
  ["always", "always"],
  ["never", "never"],
] as const;
const TEXTS = ["title", "subtitle", "notes"] as const;

export function PageForm({ study, figure, page, change, rename, remove }: Props) {
  const d = figure.document;
  const put = (part: Partial<FigurePlan>) => change({ ...d, ...part });
  const putPage = (part: Partial<FigurePlan["page"]>) => put({ page: { ...d.page, ...part } });
  const putLegend = (part: Partial<FigurePlan["legend"]>) => put({ legend: { ...d.legend, ...part } });
  return (
    <>
      <TakePage study={study} figure={figure} />
      {page?.said.map((says) => (
        <Box key={says} sx={{ color: MADDER, fontSize: "0.8125rem" }}>
          {says}
        </Box>
      ))}
      <Typed
        key={`name ${figure.name}`}
        label="Name of the page"
        value={figure.name}
        onKeep={(n) => n && rename(n)}
      />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Pick
          label="Page"
          value={d.page.size}
          options={SIZES.map((s) => [s, s === "own" ? "a size of my own" : s] as const)}
          onChange={(size) => putPage({ size })}
        />
        <Pick
          label="Turned"
          value={d.page.turned}
          options={[
            ["by itself", "as the map is"],
            ["portrait", "portrait"],
            ["landscape", "landscape"],
          ]}
          onChange={(turned) => putPage({ turned })}
        />
      </Box>
      {d.page.size === "own" && (
        <Box sx={{ display: "flex", gap: 1 }}>
          {(["width", "height"] as const).map((side) => (
            <Typed
              key={`${side} ${d.page[side]}`}
              label={`${side === "width" ? "Width" : "Height"}, mm`}
              value={String(d.page[side])}
              onKeep={(text) =>
                Number(text) >= 60 && Number(text) <= 1200 && putPage({ [side]: Number(text) })
              }
            />
          ))}
        </Box>
      )}
      {TEXTS.map((what) => (
        <Typed
          key={`${what} ${d[what].text}`}
          label={what[0].toUpperCase() + what.slice(1)}
          value={d[what].text ?? ""}
          placeholder={page?.[what] ?? ""}
          long={what === "notes"}
          onKeep={(text) => put({ [what]: { ...d[what], text: text || null } })}
        />
      ))}
      <Typed
        key={`heading ${d.legend.heading}`}
        label="Heading of the legend"
        value={d.legend.heading ?? ""}
        placeholder={page?.heading ?? ""}
        onKeep={(text) => putLegend({ heading: text || null })}
      />
      <Ticked label="a legend" on={d.legend.shown} onChange={(shown) => putLegend({ shown })} />
      <Ticked label="its heading" on={d.legend.headed} onChange={(headed) => putLegend({ headed })} />
      <Ticked label="with how many areas" on={d.legend.counts} onChange={(counts) => putLegend({ counts })} />
      <Ticked
        label="with how the areas are spread"
        on={d.legend.distribution}
        onChange={(distribution) => putLegend({ distribution })}
      />
      <Ticked
        label="its classes side by side"
        on={d.legend.level}
        onChange={(level) => putLegend({ level })}
      />
      <Ticked label="a line around the map" on={d.neatline} onChange={(neatline) => put({ neatline })} />
      {page && <Boxes d={d} page={page} change={change} />}
      <SeriesForm d={d} page={page} change={change} />
      <Unfold title="More">
        <Pick
          label="Scale bar"
          value={d.scale_bar}
          options={DRAWN}
          onChange={(scale_bar) => put({ scale_bar })}
        />
        <Pick label="North arrow" value={d.north} options={DRAWN} onChange={(north) => put({ north })} />
        <Pick
          label="Typeface"
          value={d.face}
          options={FACES.map((f) => [f, f] as const)}
          onChange={(face) => put({ face })}
        />
        <Pick
          label="Ground"
          value={d.page.ground}
          options={[
            ["white", "white"],
            ["paper", "paper"],
          ]}
          onChange={(ground) => putPage({ ground })}
        />
        <Box
          component="label"
          sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: "0.8125rem", py: 0.5 }}
        >
          <ColourField key={d.ink} label="ink" value={d.ink} onChange={(ink) => put({ ink })} />
          ink
        </Box>
        {TEXTS.map((what) => (
          <Typed
            key={`${what} size ${d[what].size}`}
            label={`Size of the ${what}, points`}
            value={String(d[what].size)}
            onKeep={(text) =>
              Number(text) >= 4 && Number(text) <= 72 && put({ [what]: { ...d[what], size: Number(text) } })
            }
          />
        ))}
      </Unfold>
      <Box sx={{ display: "flex", gap: 2, mt: 1 }}>
        {isMoved(d) && <Link onClick={() => change(unmoved(d))}>everything where it was</Link>}
        <Link onClick={remove}>take this page out</Link>
      </Box>
    </>
  );
}

function Boxes({ d, page, change }: { d: FigurePlan; page: Preview; change: Props["change"] }) {
  if (!page.boxes.length) return null;
  return (
    <Unfold title="Boxes">
      {page.boxes.map((number) => {
        const look = boxOf(d, number);
        const put = (part: Partial<BoxLook>) => change(withBox(d, number, part));
        const times = String(look.times ?? "");
        return (
          <Box key={number} sx={{ mb: 1 }}>
            <Pick
              label={`Scale of box ${number + 1}`}
              value={times}
              options={
                TIMES.some(([value]) => value === times)
                  ? TIMES
                  : [...TIMES, [times, `${times} times the map’s`]]
              }
              onChange={(text) => put({ times: text ? Number(text) : null })}
            />
            <Ticked
              label={`a line around box ${number + 1}`}
              on={look.neatline}
              onChange={(neatline) => put({ neatline })}
            />
            <Ticked
              label="a line to where it lies"
              on={look.locator}
              onChange={(locator) => put({ locator })}
            />
          </Box>
        );
      })}
    </Unfold>
  );
}

const TIMES: readonly (readonly [string, string])[] = [
  ["", "as large as it holds"],
  ["0.5", "half the map’s"],
  ["1", "the map’s"],
  ["2", "twice the map’s"],
  ["5", "5 times the map’s"],
];

/** A line that is kept once it is left; of what follows from the plan, what that is stands in it. */
function Typed(props: {
  label: string;
  value: string;
  placeholder?: string;
  long?: boolean;
  onKeep: (text: string) => void;
}) {
  const { label, long, onKeep, ...field } = props;
  const keep = (text: string) => onKeep(text.trim());
  if (!long) return <KeptField label={label} {...field} onKeep={keep} />;
  return (
    <Box component="label" sx={{ display: "block", fontSize: "0.75rem", color: QUIET, mt: 0.5 }}>
      {label}
      <KeptText label={label} {...field} onKeep={keep} />
    </Box>
  );
}
