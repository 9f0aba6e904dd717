/** The figures of before and of now: both maps beside each other, and the areas that differ. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMemo, useRef } from "react";
import type { Classes } from "../api/bulk";
import { resultsOf } from "../api/bulk";
import type { Schemas, View } from "../api/client";
import { moment, plural, whole } from "../format";
import { useSize } from "../map/gestures";
import { coloured } from "../map/look";
import { SmallPicture } from "../map/SmallPicture";
import { smallMapsOf, useSmallMaps } from "../map/small";
import { Unanswered } from "../parts/Answer";
import { useFocusHere } from "../parts/focus";
import { Grid } from "../rows/Grid";
import { refused, useAnswer, useTold } from "../state/asked";
import { type Earlier, tableOf, useEarlierClasses, useEarlierFigures, useTakeNow } from "../state/earlier";
import type { Outcome } from "../state/queries";
import { useParts } from "../state/store";
import { PAPER, QUIET, RULE } from "../theme";
import { unit } from "../unit";

const LEGEND = 190;
const GAP = 16;
const HEAD = 24;
interface Props {
  view: View;
  earlier: Earlier;
  shown: Outcome | null;
}

export function EarlierPage({ view, earlier, shown }: Props) {
  const { set } = useParts("set");
  const here = useRef<HTMLElement>(null);
  useFocusHere(here);
  const asked = useEarlierFigures(view);
  const found = useAnswer(asked);
  const own = useAnswer(useEarlierClasses(view, found?.drawn ?? false));
  const take = useTakeNow(view);
  const table = useMemo(() => found && tableOf(found), [found]);
  useTold(take.error && refused("This was not changed", take.error, take.reset));
  const goOn = () => take.mutate(undefined, { onSuccess: () => set({ before: false }) });
  return (
    <Box
      component="section"
      ref={here}
      tabIndex={-1}
      aria-label="Figures of before and of now"
      sx={{
        position: "absolute",
        inset: 0,
        zIndex: 2,
        bgcolor: PAPER,
        display: "flex",
        flexDirection: "column",
        pt: 1,
        gap: 0.75,
      }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 2, px: 2, flexWrap: "wrap" }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          Figures of before and of now
        </Typography>
        <Button size="small" href={`${resultsOf(view)}/earlier.csv`} download>
          Save both as CSV
        </Button>
        {earlier.works && (
          <Button size="small" variant="outlined" disabled={take.isPending} onClick={goOn}>
            Go on with those of now
          </Button>
        )}
        <Button size="small" onClick={() => set({ before: false })}>
          Back to the map
        </Button>
      </Box>
      <Box sx={{ px: 2, color: QUIET, fontSize: "0.8125rem" }}>
        {earlier.works
          ? "The plan and the files are the same; the program that works them out is another. Those of before are kept until you go on with those of now, or change what is worked out."
          : "Nothing is worked out now. Those of before are kept."}
      </Box>
      <Box sx={{ px: 2 }}>
        <Unanswered />
      </Box>
      {found &&
        (found.drawn && shown && own ? (
          <Maps {...shown} earlier={earlier} found={found} then={own} />
        ) : (
          !found.drawn && (
            <Box sx={{ px: 2, flex: 1, color: QUIET }}>
              The map of before is not drawn:{" "}
              {earlier.works
                ? "its areas, or what its values are, differ from those of now."
                : "there are no areas to draw."}
            </Box>
          )
        ))}
      {found && (
        <Box sx={{ flexShrink: 0 }}>
          <Box sx={{ px: 2, pb: 0.25, fontSize: "0.8125rem" }}>
            {plural(found.total, "area differs", "areas differ")}
            {found.rows.length < found.total &&
              `; the ${whole(found.rows.length)} that differ most are listed, the file has all`}
          </Box>
          {table && <Grid label="Areas that differ" {...table} low />}
        </Box>
      )}
    </Box>
  );
}

type MapsProps = Outcome & {
  earlier: Earlier;
  found: Schemas["EarlierRows"];
  then: Classes["own"];
};

function Maps({ view, areas, shapes, earlier, found, then }: MapsProps) {
  const ref = useRef<HTMLDivElement>(null);
  const size = useSize(ref);
  const width = size ? Math.floor((size.width - GAP * unit) / 2 - LEGEND * unit) : 0;
  const height = size ? Math.floor(size.height - HEAD * unit) : 0;
  const maps = useMemo(() => {
    if (width < 40 || height < 40) return null;
    const look = (own: Classes["own"], classes: readonly { colour: string }[]) =>
      coloured(
        view,
        areas,
        (a) => own[a],
        classes.map((c) => c.colour),
      );
    const looks = [look(then, found.classes), look(areas.own, view.bands)];
    return smallMapsOf(view, areas, shapes, { width, height }, looks);
  }, [width, height, shapes, areas, view, then, found]);
  const pictures = useSmallMaps(shapes, maps);
  const sides = [
    { title: `Then, ${moment(earlier.made_at)}`, classes: found.classes },
    { title: "Now", classes: view.bands },
  ];
  return (
    <Box
      ref={ref}
      data-drawn={pictures.length}
      sx={{ flex: 1, minHeight: 0, display: "flex", gap: `${GAP * unit}px`, px: 2 }}
    >
      {sides.map(({ title, classes }, i) => (
        <Box key={title} sx={{ flex: 1, minWidth: 0 }}>
          <Box sx={{ height: HEAD * unit, fontWeight: 600, fontSize: "0.875rem" }}>{title}</Box>
          <Box sx={{ display: "flex" }}>
            <SmallPicture picture={pictures[i]} width={width} height={height} />
            <Box component="ul" sx={{ m: 0, pl: 1, listStyle: "none", fontSize: "0.8125rem" }}>
              {[...classes].reverse().map((c) => (
                <Box component="li" key={c.range} sx={{ display: "flex", gap: 1, alignItems: "center" }}>
                  <Box
                    sx={{
                      width: 14,
                      height: 14,
                      flexShrink: 0,
                      bgcolor: c.colour,
                      border: `1px solid ${RULE}`,
                    }}
                  />
                  {c.range}
                </Box>
              ))}
            </Box>
          </Box>
        </Box>
      ))}
    </Box>
  );
}
