/** The colour of an entry of the rail: opens what can be done with the entry. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Popover from "@mui/material/Popover";
import { useRef, useState } from "react";
import type { Study, View } from "../api/client";
import { ColourField } from "../parts/Fields";
import { KeptField } from "../parts/KeptField";
import { Link } from "../parts/parts";
import { dressed, type Entry, type OwnBand, ownOf } from "../plan/bands";
import { mappedColours } from "../plan/mapped";
import { useSavePlan, useShownPlan } from "../state/queries";
import { useParts } from "../state/store";
import { useUnseen } from "../state/unseen";
import { INK, PAPER } from "../theme";

interface Props {
  study: Study;
  view: View;
  entry: Entry;
  /** The class that it stands for, or the code of zero. */
  own: number;
  /** All classes and zero, to show one alone. */
  all: readonly number[];
  colour: string;
  /** What it would be called. */
  range: string;
  size?: number;
}

export function Swatch({ study, view, entry, own, all, colour, range, size = 9 }: Props) {
  const { set } = useParts("set");
  const anchor = useRef<HTMLButtonElement>(null);
  const [open, setOpen] = useState(false);
  const save = useSavePlan(study, view);
  const unseen = useUnseen(view);
  const hidden = unseen.includes(own);
  const now = ownOf(mappedColours(useShownPlan(study, view).plan), entry);
  const hide = (classes: readonly number[]) => {
    set({ unseen: classes.length ? { key: view.keys.classed, classes } : null });
    setOpen(false);
  };
  const put = (change: Partial<Pick<OwnBand, "text" | "colour">>) =>
    save.mutate((plan) => {
      const colours = mappedColours(plan);
      colours.bands = dressed(colours.bands, entry, change);
    });
  return (
    <>
      <ButtonBase
        ref={anchor}
        aria-label={`What ${range || "this class"} is called, its colour, and whether it is shown`}
        title="Call it, colour it, hide it"
        onClick={() => setOpen(true)}
        sx={{
          pointerEvents: "auto",
          width: size,
          height: size,
          bgcolor: hidden ? PAPER : colour,
          border: `0.5px ${hidden ? "dashed" : "solid"} ${INK}`,
        }}
      />
      <Popover
        open={open}
        anchorEl={anchor.current}
        onClose={() => setOpen(false)}
        anchorOrigin={{ vertical: "center", horizontal: "right" }}
        slotProps={{ paper: { sx: { p: 1.5, width: 240, border: `1px solid ${INK}` } } }}
      >
        {open && (
          <>
            <Called now={now?.text ?? ""} range={range} put={(text) => put({ text })} />
            <Box component="label" sx={{ display: "flex", alignItems: "center", gap: 1, my: 1 }}>
              <ColourField label="Colour" value={colour} onChange={(next) => put({ colour: next })} />
              Colour
            </Box>
            <Box sx={{ display: "flex", gap: 1.5, flexWrap: "wrap" }}>
              {hidden ? (
                <Link onClick={() => hide(unseen.filter((c) => c !== own))}>show it again</Link>
              ) : (
                <>
                  <Link onClick={() => hide([...unseen, own])}>hide it</Link>
                  <Link onClick={() => hide(all.filter((c) => c !== own))}>show it alone</Link>
                </>
              )}
              {unseen.length > 0 && <Link onClick={() => hide([])}>show all (b)</Link>}
              {now && <Link onClick={() => put({ text: null, colour: null })}>as it was</Link>}
            </Box>
          </>
        )}
      </Popover>
    </>
  );
}

function Called({ now, range, put }: { now: string; range: string; put: (text: string | null) => void }) {
  const keep = (text: string) => {
    const said = text.trim().slice(0, 80);
    if (said !== now) put(said === "" || said === range ? null : said);
  };
  return <KeptField label="It is called" value={now} placeholder={range} onKeep={keep} />;
}
