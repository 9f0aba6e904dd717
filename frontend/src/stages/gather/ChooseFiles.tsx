/** The way in for files: a button that opens the system's own dialog, and a window that takes what is dropped on it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState } from "react";
import type { Study } from "../../api/client";
import { useAnswer } from "../../state/asked";
import { take } from "../../state/incoming";
import { useSources } from "../../state/queries";
import { INK, PAPER } from "../../theme";

export function ChooseFiles({ study, large = false }: { study: Study; large?: boolean }) {
  const input = useRef<HTMLInputElement>(null);
  const known = useAnswer(useSources(study));
  return (
    <>
      <Button
        variant={large ? "contained" : "outlined"}
        disableElevation
        size={large ? "large" : "small"}
        disabled={!known}
        onClick={() => input.current!.click()}
      >
        Choose files
      </Button>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        aria-label="Files to bring in"
        onChange={(event) => {
          if (known) void take(study.id, [...(event.target.files ?? [])], known);
          event.target.value = "";
        }}
      />
    </>
  );
}

/** While files are dragged over the window, the whole of it is the place to drop them. */
export function DropAnywhere({ study }: { study: Study }) {
  const [over, setOver] = useState(false);
  const sources = useAnswer(useSources(study));
  useEffect(() => {
    const carriesFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files") ?? false;
    const dragOver = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const leave = (event: DragEvent) => {
      if (event.relatedTarget === null) setOver(false);
    };
    const drop = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(false);
      if (sources) void take(study.id, [...event.dataTransfer!.files], sources);
    };
    window.addEventListener("dragover", dragOver);
    window.addEventListener("dragleave", leave);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", dragOver);
      window.removeEventListener("dragleave", leave);
      window.removeEventListener("drop", drop);
    };
  }, [study.id, sources]);
  if (!over) return null;
  return (
    <Box
      sx={{
        position: "fixed",
        inset: 12,
        zIndex: 2000,
        border: `3px double ${INK}`,
        bgcolor: PAPER,
        opacity: 0.93,
        display: "flex",
        alignItems: "center",
        justifyContent: "center",
        fontSize: "1.5rem",
        pointerEvents: "none",
      }}
    >
      {sources
        ? `Let go to bring them into ${study.name}`
        : "What the study has is not known yet: hold them a moment longer"}
    </Box>
  );
}
