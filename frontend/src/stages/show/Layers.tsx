/** What lies over what on the map: one short list, the topmost first. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import { useState } from "react";
import type { Study, View } from "../../api/client";
import { whole } from "../../format";
import { MANY_DOTS } from "../../map/dots";
import { ColourField, Pick } from "../../parts/Fields";
import { Link, Quiet } from "../../parts/parts";
import { changed, isShown, keyOf, moved } from "../../plan/layers";
import type { Layer, Reference } from "../../plan/types";
import { useAnswer } from "../../state/asked";
import { useEventDots, useReferences } from "../../state/overlays";
import type { Save } from "../../state/queries";
import { INK, QUIET, RULE } from "../../theme";
import { Outlines } from "./Outlines";

interface Props {
  study: Study;
  view: View;
  save: Save;
}

export function Layers({ study, view, save }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const put = (next: readonly Layer[]) =>
    save((p) => {
      p.show.layers = [...next];
    });
  const show = (layer: Layer, shown: boolean) => {
    if (layer.kind === "outlines")
      save((p) => {
        p.show.outlines.draw = shown ? "hairline" : "none";
      });
    else if (layer.kind === "over")
      save((p) => {
        p.show.over = null;
      });
    else put(changed(view.layers, layer, { shown }));
  };
  // The outlines of an upper level are there where Place has chosen one.
  const listed = view.layers.filter((l) => l.kind !== "over" || view.plan.show.over !== null);
  return (
    <>
      {listed.map((layer, i) => {
        const key = keyOf(layer);
        const shown = isShown(layer, view.plan);
        const pass = (up: boolean) => {
          const other = listed[i + (up ? -1 : 1)];
          let next: readonly Layer[] = view.layers;
          // Past what is not listed, too.
          while (
            next.findIndex((l) => keyOf(l) === key) < next.findIndex((l) => keyOf(l) === keyOf(other)) !==
            up
          )
            next = moved(next, layer, up);
          put(next);
        };
        return (
          <Box key={key} data-layer={key} sx={{ borderBottom: `1px solid ${RULE}` }}>
            <Box sx={{ display: "flex", alignItems: "center" }}>
              <Checkbox
                size="small"
                checked={shown}
                slotProps={{ input: { "aria-label": `Show ${nameOf(layer, view)}` } }}
                onChange={(_, on) => show(layer, on)}
                sx={{ p: 0.5, ml: -0.5 }}
              />
              <ButtonBase
                aria-expanded={open === key}
                onClick={() => setOpen(open === key ? null : key)}
                sx={{
                  font: "inherit",
                  flexGrow: 1,
                  minWidth: 0,
                  justifyContent: "flex-start",
                  textAlign: "left",
                  color: shown ? INK : QUIET,
                  overflowWrap: "anywhere",
                }}
              >
                {nameOf(layer, view)}
              </ButtonBase>
              {i > 0 && (
                <Step says={`Lay ${nameOf(layer, view)} higher`} text="↑" onClick={() => pass(true)} />
              )}
              {i < listed.length - 1 && (
                <Step says={`Lay ${nameOf(layer, view)} lower`} text="↓" onClick={() => pass(false)} />
              )}
            </Box>
            {open === key && (
              <Box sx={{ pl: 3.5, pb: 1 }}>
                <Detail study={study} view={view} save={save} layer={layer} put={put} />
              </Box>
            )}
          </Box>
        );
      })}
    </>
  );
}

function nameOf(layer: Layer, view: View): string {
  switch (layer.kind) {
    case "areas":
      return "the areas";
    case "outlines":
      return "outlines of the areas";
    case "events":
      return view.events_name ? `events: ${view.events_name}` : "events";
    case "degrees":
      return "latitude and longitude";
    case "over":
      return `outlines of ${view.plan.show.over}`;
    case "reference":
      return layer.source;
  }
}

function Step(props: { says: string; text: string; onClick: () => void }) {
  return (
    <ButtonBase
      aria-label={props.says}
      title={props.says}
      onClick={props.onClick}
      sx={{ width: 24, height: 24, color: QUIET, font: "inherit" }}
    >
      {props.text}
    </ButtonBase>
  );
}

function Detail(props: Props & { layer: Layer; put: (next: readonly Layer[]) => void }) {
  const { study, view, save, layer, put } = props;
  switch (layer.kind) {
    case "areas":
      return (
        <Pick
          label="They cover what is below them"
          value={String(layer.opacity)}
          options={OPACITIES.map(
            (o) => [String(o), o === 1 ? "wholly" : `to ${Math.round(100 * o)} %`] as const,
          )}
          onChange={(o) => put(changed(view.layers, layer, { opacity: Number(o) }))}
        />
      );
    case "outlines":
      return <Outlines view={view} save={save} />;
    case "events":
      return <EventsDetail view={view} layer={layer} put={put} />;
    case "degrees":
      return <Quiet>Lines of equal latitude and longitude, with their degrees at the edge of the map.</Quiet>;
    case "over":
      return <Quiet>Which column they are of is chosen in Place.</Quiet>;
    case "reference":
      return <ReferenceDetail study={study} view={view} layer={layer} put={put} />;
  }
}

const OPACITIES = [1, 0.85, 0.7, 0.5, 0.3];

function EventsDetail(props: {
  view: View;
  layer: Extract<Layer, { kind: "events" }>;
  put: (next: readonly Layer[]) => void;
}) {
  const { view, layer, put } = props;
  const dots = useAnswer(useEventDots(view, layer));
  return (
    <>
      <Pick
        label="In a colour for each"
        value={layer.by ?? ""}
        options={[["", "all in one colour"] as const, ...view.columns.map((c) => [c, c] as const)]}
        onChange={(by) => put(changed(view.layers, layer, { by: by || null, shown: true }))}
      />
      {layer.shown && dots && (
        <Box sx={{ fontSize: "0.8125rem" }}>
          {dots.kinds.map((k) => (
            <Box key={k.text} sx={{ display: "flex", gap: 0.75, alignItems: "center" }}>
              <Box sx={{ width: 9, height: 9, bgcolor: k.colour, flexShrink: 0 }} />
              <Box sx={{ overflowWrap: "anywhere" }}>{k.text}</Box>
            </Box>
          ))}
          <Quiet>
            {whole(dots.x.length)} dots
            {dots.x.length < dots.of && `, of ${whole(dots.of)} events every so manieth`}
            {dots.x.length > MANY_DOTS && ": where they crowd, the darker the more"}
          </Quiet>
        </Box>
      )}
    </>
  );
}

function ReferenceDetail(props: {
  study: Study;
  view: View;
  layer: Reference;
  put: (next: readonly Layer[]) => void;
}) {
  const { study, view, layer, put } = props;
  const lines = useReferences(study, view).find((r) => r.name === layer.source);
  const change = (part: Partial<Reference>) => put(changed(view.layers, layer, part));
  return (
    <>
      <Swatch label="line" value={layer.line} otherwise="#5b6b6b" onChange={(line) => change({ line })} />
      <Pick
        label="Width of its lines"
        value={layer.width === null ? "" : String(layer.width)}
        options={[
          ["", "as it is by itself"] as const,
          ...WIDTHS.map((w) => [String(w), w === 1 ? "1 pixel" : `${w} pixels`] as const),
        ]}
        onChange={(w) => change({ width: w ? Number(w) : null })}
      />
      {lines?.closed.some((c) => c === 1) && (
        <Swatch
          label="what it encloses"
          value={layer.fill}
          otherwise="#c9d8d6"
          onChange={(fill) => change({ fill })}
        />
      )}
      <Pick
        label="Names from"
        value={layer.names ?? ""}
        options={[["", "no column"] as const, ...(lines?.columns ?? []).map((c) => [c, c] as const)]}
        onChange={(names) => change({ names: names || null })}
      />
    </>
  );
}

const WIDTHS = [0.5, 1, 1.5, 2, 3, 5];

/** A colour of one's own, or none. */
function Swatch(props: {
  label: string;
  value: string | null;
  otherwise: string;
  onChange: (colour: string | null) => void;
}) {
  const { label, value } = props;
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: "0.8125rem", py: 0.25 }}>
      <Box component="label" sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <ColourField key={value} label={label} value={value ?? props.otherwise} onChange={props.onChange} />
        {label}
      </Box>
      {value === null ? (
        <Quiet>as it is by itself</Quiet>
      ) : (
        <Link onClick={() => props.onChange(null)}>as by itself</Link>
      )}
    </Box>
  );
}
