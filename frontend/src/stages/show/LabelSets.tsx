/** What is written in the areas: sets of labels, each of its own template. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import { useRef, useState } from "react";
import type { View } from "../../api/client";
import { whole } from "../../format";
import { ColourField, Pick, TextArea } from "../../parts/Fields";
import { Link, Quiet, Unfold } from "../../parts/parts";
import type { LabelSet } from "../../plan/types";
import { useAnswer } from "../../state/asked";
import { useLabelTrial } from "../../state/overlays";
import { type Save, useFormula } from "../../state/queries";
import { useParts } from "../../state/store";
import { INK, MADDER, QUIET, RULE } from "../../theme";

const MOST = 5;
const FIRST: LabelSet = {
  text: "{name}",
  shown: true,
  size: 12,
  bold: false,
  colour: "#1f2933",
  halo: "#f6f2e9",
  halo_width: 2,
};

export function LabelSets({ view, save }: { view: View; save: Save }) {
  const [open, setOpen] = useState<number | null>(null);
  const { unlabelled } = useParts("unlabelled");
  const { labels } = view.plan.show;
  const put = (at: number, change: Partial<LabelSet>) =>
    save((p) => {
      Object.assign(p.show.labels[at], change);
    });
  return (
    <>
      {labels.map((set, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: sets stand in the plan's order
        <Box key={i} data-label-set={i} sx={{ borderBottom: `1px solid ${RULE}` }}>
          <Box sx={{ display: "flex", alignItems: "center" }}>
            <Checkbox
              size="small"
              checked={set.shown}
              slotProps={{ input: { "aria-label": `Show the labels ${set.text}` } }}
              onChange={(_, shown) => put(i, { shown })}
              sx={{ p: 0.5, ml: -0.5 }}
            />
            <ButtonBase
              aria-expanded={open === i}
              onClick={() => setOpen(open === i ? null : i)}
              sx={{
                font: "inherit",
                fontWeight: set.bold ? 600 : undefined,
                flexGrow: 1,
                minWidth: 0,
                justifyContent: "flex-start",
                textAlign: "left",
                color: set.shown ? INK : QUIET,
                overflowWrap: "anywhere",
                whiteSpace: "pre-line",
              }}
            >
              {set.text}
            </ButtonBase>
          </Box>
          {open === i && (
            <Box sx={{ pl: 3.5, pb: 1 }}>
              <Template key={set.text} view={view} text={set.text} onKeep={(text) => put(i, { text })} />
              <Look set={set} put={(change) => put(i, change)} />
              <Link
                onClick={() => {
                  setOpen(null);
                  save((p) => {
                    p.show.labels.splice(i, 1);
                  });
                }}
              >
                take these labels out
              </Link>
            </Box>
          )}
        </Box>
      ))}
      {unlabelled > 0 && labels.some((s) => s.shown) && (
        <Quiet>{whole(unlabelled)} find no room at this scale, and are left out.</Quiet>
      )}
      {labels.length < MOST && (
        <Button
          size="small"
          variant="outlined"
          sx={{ mt: 1 }}
          onClick={() => {
            setOpen(labels.length);
            save((p) => {
              p.show.labels.push(labels.length ? { ...FIRST, text: "{value}", size: 11 } : { ...FIRST });
            });
          }}
        >
          {labels.length ? "Write more in the areas" : "Write in the areas"}
        </Button>
      )}
    </>
  );
}

/** The template while it is written: what it comes to in one area stands under it. */
function Template({
  view,
  text: start,
  onKeep,
}: {
  view: View;
  text: string;
  onKeep: (text: string) => void;
}) {
  const [text, setText] = useState(start);
  const field = useRef<HTMLTextAreaElement>(null);
  const { hovered, selected } = useParts("hovered", "selected");
  const found = useAnswer(useLabelTrial(view, text, hovered ?? selected));
  const formula = useAnswer(useFormula(view, "0", view.events_name || null, null));
  const fault = found?.fault ?? "";
  const write = (word: string) => {
    const at = field.current?.selectionStart ?? text.length;
    setText(`${text.slice(0, at)}{${word}}${text.slice(at)}`);
    field.current?.focus();
  };
  return (
    <>
      <TextArea
        wrong={Boolean(fault)}
        ref={field}
        aria-label="What is written"
        aria-invalid={Boolean(fault)}
        value={text}
        rows={2}
        onChange={(event) => setText(event.target.value)}
      />
      {fault ? (
        <Box role="alert" sx={{ color: MADDER, fontSize: "0.8125rem", overflowWrap: "anywhere" }}>
          {fault}
        </Box>
      ) : (
        <Box
          data-testid="label text"
          sx={{ fontSize: "0.8125rem", whiteSpace: "pre-line", overflowWrap: "anywhere", color: QUIET }}
        >
          reads: {found?.text}
        </Box>
      )}
      {text !== start && (
        <Button
          size="small"
          variant="outlined"
          disabled={!found || Boolean(fault)}
          onClick={() => onKeep(text)}
        >
          Write it
        </Button>
      )}
      <Unfold title="The words at hand">
        <Box sx={{ fontSize: "0.8125rem", display: "flex", flexWrap: "wrap", columnGap: 1.25 }}>
          {[...(found?.words ?? []), ...(formula?.words ?? []).map((w) => w.word)].map((word) => (
            <Link key={word} onClick={() => write(word)}>
              {word}
            </Link>
          ))}
        </Box>
        <Quiet>In braces stands a word or a formula; round(a, 1) says with how many places.</Quiet>
      </Unfold>
    </>
  );
}

const SIZES = [9, 10, 11, 12, 14, 16, 20, 24, 32];
const HALOS = [0, 1, 2, 3, 4];

function Look({ set, put }: { set: LabelSet; put: (change: Partial<LabelSet>) => void }) {
  return (
    <>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Pick
          label="Size, at most"
          value={String(set.size)}
          options={[...new Set([...SIZES, set.size])]
            .sort((a, b) => a - b)
            .map((s) => [String(s), String(s)] as const)}
          onChange={(size) => put({ size: Number(size) })}
        />
        <Pick
          label="Halo"
          value={String(set.halo_width)}
          options={[...new Set([...HALOS, set.halo_width])].map(
            (h) => [String(h), h ? `${h} wide` : "none"] as const,
          )}
          onChange={(width) => put({ halo_width: Number(width) })}
        />
      </Box>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", fontSize: "0.8125rem" }}>
        {(["colour", "halo"] as const).map((what) => (
          <Box key={what} component="label" sx={{ display: "flex", gap: 0.5, alignItems: "center" }}>
            <ColourField
              key={set[what]}
              label={what === "halo" ? "colour of the halo" : "colour of the letters"}
              value={set[what]}
              onChange={(colour) => put({ [what]: colour })}
            />
            {what === "halo" ? "halo" : "letters"}
          </Box>
        ))}
      </Box>
      <FormControlLabel
        label="bold"
        control={<Checkbox size="small" checked={set.bold} onChange={(_, bold) => put({ bold })} />}
      />
    </>
  );
}
