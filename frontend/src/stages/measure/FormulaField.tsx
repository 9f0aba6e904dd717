/** A formula while it is written: its words complete as one types, what it comes to stands under it, and an error points
 * at its letter. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import type { Areas } from "../../api/bulk";
import type { View } from "../../api/client";
import { termFigure } from "../../outcome/terms";
import { TextArea } from "../../parts/Fields";
import { Link, Unfold } from "../../parts/parts";
import { completed, completions, type Formula, withFigures } from "../../plan/formulas";
import { useAnswer } from "../../state/asked";
import { useFormula } from "../../state/queries";
import { useParts } from "../../state/store";
import { MADDER, QUIET } from "../../theme";

interface Props {
  view: View;
  areas: Areas | null;
  start: Formula;
  onKeep: (formula: Formula) => void;
}

export function FormulaField({ view, areas, start, onKeep }: Props) {
  const [text, setText] = useState(start.text);
  const [cursor, setCursor] = useState(start.text.length);
  const field = useRef<HTMLTextAreaElement>(null);
  const { hovered, selected } = useParts("hovered", "selected");
  const at = hovered ?? selected;
  const area = areas && at !== null && at < areas.name.length ? at : null;
  const found = useAnswer(useFormula(view, text, start.about, area));
  const words = found?.words ?? [];
  const { begun, like } = completions(
    text,
    cursor,
    words.map((w) => w.word),
  );
  const write = (word: string) => {
    const [next, then] = completed(text, cursor, begun, word);
    setText(next);
    setCursor(then);
    requestAnimationFrame(() => {
      field.current?.focus();
      field.current?.setSelectionRange(then, then);
    });
  };
  const fault = found?.fault;
  return (
    <Box component="section" aria-label="The formula">
      <TextArea
        wrong={Boolean(fault)}
        ref={field}
        aria-label="Formula"
        aria-invalid={Boolean(fault)}
        value={text}
        rows={Math.min(6, 1 + Math.ceil(text.length / 44))}
        onChange={(event) => {
          setText(event.target.value);
          setCursor(event.target.selectionStart);
        }}
        onSelect={(event) => setCursor(event.currentTarget.selectionStart)}
        onKeyDown={(event) => {
          if (event.key === "Tab" && like.length && !event.shiftKey) {
            event.preventDefault();
            write(like[0]);
          }
        }}
      />
      <Box sx={{ minHeight: "1.6em", fontSize: "0.8125rem", display: "flex", gap: 1.5, flexWrap: "wrap" }}>
        {like.slice(0, 5).map((word, i) => (
          <Link key={word} onClick={() => write(word)}>
            {word}
            {i === 0 ? " (Tab)" : ""}
          </Link>
        ))}
      </Box>
      {fault && fault.at >= text.trimEnd().length ? (
        <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>Not whole yet: {fault.says}</Box>
      ) : fault ? (
        <Box role="alert" sx={{ color: MADDER, fontSize: "0.8125rem", overflowWrap: "anywhere" }}>
          <Box>
            {text.slice(0, fault.at)}
            <Box
              component="mark"
              sx={{ bgcolor: "transparent", color: MADDER, borderBottom: `2px solid ${MADDER}` }}
            >
              {text.slice(fault.at, fault.at + fault.length) || "…"}
            </Box>
            {text.slice(fault.at + fault.length)}
          </Box>
          {fault.says}
        </Box>
      ) : (
        found && (
          <Box data-testid="formula value" sx={{ fontSize: "1.15rem" }}>
            = {found.value === null ? found.state : termFigure(found.value)} {found.unit}
            <Box component="span" sx={{ color: QUIET, fontSize: "0.8125rem" }}>
              {" "}
              {areas && area !== null ? areas.name[area] : found.middle ? "the middle area" : "all areas"}
            </Box>
          </Box>
        )
      )}
      <Box sx={{ mt: 1 }}>
        <Button
          size="small"
          variant="outlined"
          disabled={!found || Boolean(fault) || text === view.value_name}
          onClick={() => onKeep(withFigures({ ...start, text }, words))}
        >
          Map it
        </Button>
      </Box>
      <Unfold title="The words at hand">
        {words.map(({ word, says }) => (
          <Box key={word} sx={{ display: "flex", gap: 1, fontSize: "0.8125rem" }}>
            <Box sx={{ flexShrink: 0, maxWidth: "55%", overflowWrap: "anywhere" }}>
              <Link onClick={() => write(word)}>{word}</Link>
            </Box>
            <Box sx={{ color: QUIET, overflowWrap: "anywhere" }}>{says}</Box>
          </Box>
        ))}
        <Box sx={{ fontSize: "0.8125rem", color: QUIET, mt: 1 }}>
          Also: + - * / ^ ( ), comparisons, and if(a, b, c), min, max, abs, sqrt, ln, round(a, places).
        </Box>
      </Unfold>
    </Box>
  );
}
