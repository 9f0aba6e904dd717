/** The elements of a page, taken hold of on it: dragged, or moved by the arrow keys, a millimetre at a time; made larger
 * by their corner; and its words typed where they stand. */
import Box from "@mui/material/Box";
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import type { FigurePlan } from "../plan/types";
import type { Preview } from "../state/figures";
import { INK } from "../theme";
import { isText, movable, movedTo, resizable, sizedTo } from "./places";

interface Props {
  page: Preview;
  /** Pixels a millimetre. */
  scale: number;
  document: FigurePlan;
  change: (document: FigurePlan) => void;
}

const STEPS: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

export function Elements({ page, scale, document, change }: Props) {
  const [held, setHeld] = useState<{ name: string; x: number; y: number; dx: number; dy: number } | null>(
    null,
  );
  const [sized, setSized] = useState<{ name: string; x: number; y: number; dx: number; dy: number } | null>(
    null,
  );
  const [typing, setTyping] = useState<string | null>(null);
  const drop = (name: string, right: number, down: number) => {
    const place = page.places.find((p) => p.name === name);
    if (place && (right || down))
      change(movedTo(document, page, place, place.left + right, place.top + down));
  };
  return page.places
    .filter((p) => movable(p.name))
    .map((place) => {
      const moved = held?.name === place.name ? held : null;
      const larger = sized?.name === place.name ? sized : null;
      const { name } = place;
      if (typing === name && isText(name))
        return (
          <textarea
            key={name}
            aria-label={`The ${name}, typed on the page`}
            // biome-ignore lint/a11y/noAutofocus: somebody has just asked to type there
            autoFocus
            defaultValue={document[name].text ?? page[name]}
            onKeyDown={(event) => {
              if (event.key === "Enter" && !event.shiftKey) event.currentTarget.blur();
              if (event.key === "Escape") {
                event.stopPropagation();
                setTyping(null);
              }
            }}
            onBlur={(event) => {
              const text = event.currentTarget.value.trim();
              setTyping(null);
              if (text !== (document[name].text ?? page[name]))
                change({ ...document, [name]: { ...document[name], text: text || null } });
            }}
            style={{
              position: "absolute",
              left: place.left * scale,
              top: place.top * scale,
              width: Math.max(place.width * scale, 120),
              height: Math.max(place.height * scale + 6, 24),
              zIndex: 2,
              font: "inherit",
              fontSize: Math.max(document[name].size * 0.3528 * scale, 10),
              lineHeight: 1.2,
              padding: 0,
              boxSizing: "border-box",
              color: INK,
              resize: "none",
            }}
          />
        );
      return (
        <Box
          key={place.name}
          data-element={place.name}
          role="button"
          tabIndex={0}
          aria-label={`The ${place.name}: drag it, or move it with the arrow keys`}
          title={`The ${place.name}: drag it${isText(place.name) ? ", or type it after a double click" : ""}`}
          onPointerDown={(event: PointerEvent<HTMLDivElement>) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            setHeld({ name: place.name, x: event.clientX, y: event.clientY, dx: 0, dy: 0 });
          }}
          onPointerMove={(event: PointerEvent<HTMLDivElement>) => {
            if (moved) setHeld({ ...moved, dx: event.clientX - moved.x, dy: event.clientY - moved.y });
          }}
          onPointerUp={() => {
            if (moved) drop(place.name, moved.dx / scale, moved.dy / scale);
            setHeld(null);
          }}
          onPointerCancel={() => setHeld(null)}
          onDoubleClick={() => isText(name) && setTyping(name)}
          onKeyDown={(event: KeyboardEvent) => {
            if (event.key === "Enter" && isText(name)) {
              event.preventDefault();
              setTyping(name);
            }
            const step = STEPS[event.key];
            if (!step) return;
            event.preventDefault();
            event.stopPropagation();
            const far = event.shiftKey ? 10 : 1;
            drop(place.name, far * step[0], far * step[1]);
          }}
          sx={{
            position: "absolute",
            cursor: "grab",
            border: "1px solid transparent",
            touchAction: "none",
            "&:hover, &:focus-visible": { borderColor: INK, outline: "none" },
          }}
          style={{
            left: place.left * scale + (moved?.dx ?? 0),
            top: place.top * scale + (moved?.dy ?? 0),
            width: place.width * scale + (larger?.dx ?? 0),
            height: place.height * scale + (larger?.dy ?? 0),
            borderColor: moved || larger ? INK : undefined,
            zIndex: place.name === "map" ? 0 : 1,
          }}
        >
          {resizable(name) && (
            <Box
              data-corner-of={name}
              title={`Make the ${name} larger or smaller`}
              onPointerDown={(event: PointerEvent<HTMLDivElement>) => {
                event.stopPropagation();
                event.currentTarget.setPointerCapture(event.pointerId);
                setSized({ name, x: event.clientX, y: event.clientY, dx: 0, dy: 0 });
              }}
              onPointerMove={(event: PointerEvent<HTMLDivElement>) => {
                event.stopPropagation();
                if (larger)
                  setSized({ ...larger, dx: event.clientX - larger.x, dy: event.clientY - larger.y });
              }}
              onPointerUp={(event: PointerEvent<HTMLDivElement>) => {
                event.stopPropagation();
                if (larger && (larger.dx || larger.dy))
                  change(
                    sizedTo(
                      document,
                      page,
                      place,
                      place.width + larger.dx / scale,
                      place.height + larger.dy / scale,
                    ),
                  );
                setSized(null);
              }}
              onPointerCancel={() => setSized(null)}
              sx={{
                position: "absolute",
                right: -1,
                bottom: -1,
                width: 12,
                height: 12,
                cursor: "nwse-resize",
                touchAction: "none",
                borderRight: `2px solid ${INK}`,
                borderBottom: `2px solid ${INK}`,
                opacity: 0.5,
              }}
            />
          )}
        </Box>
      );
    });
}
