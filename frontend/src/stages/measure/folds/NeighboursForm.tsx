/** Which areas are neighbours, those that have none, and links by hand. */
import Box from "@mui/material/Box";
import { useEffect, useRef, useState } from "react";
import { plural } from "../../../format";
import { Pick } from "../../../parts/Fields";
import { NumberField } from "../../../parts/NumberField";
import { Link, Quiet } from "../../../parts/parts";
import { linked, type NeighboursBy, unlinked } from "../../../plan/sure";
import type { Place } from "../../../plan/types";
import { useAnswer } from "../../../state/asked";
import { useParts } from "../../../state/store";
import { useNeighbours } from "../../../state/sureness";
import type { FoldProps } from "./Fold";

type Way = "border" | "corner" | "distance" | "nearest";
const FRESH: Record<Way, NeighboursBy> = {
  border: { kind: "border", corners: false, within_m: 1 },
  corner: { kind: "border", corners: true, within_m: 1 },
  distance: { kind: "distance", km: 5 },
  nearest: { kind: "nearest", count: 6 },
};
const NAMED = 6;
const LISTED = 2000;

function wayOf(by: NeighboursBy): Way {
  switch (by.kind) {
    case "border":
      return by.corners ? "corner" : "border";
    case "distance":
    case "nearest":
      return by.kind;
  }
}

export function NeighboursForm({ view, areas, save }: FoldProps) {
  const { selected, set } = useParts("selected", "set");
  const found = useAnswer(useNeighbours(view, selected));
  const plan = view.plan.place.neighbours;
  const [other, setOther] = useState("");
  const [all, setAll] = useState(false);
  /** The area that is linked with the next one chosen on the map. */
  const [from, setFrom] = useState<string | null>(null);
  const change = (edit: (place: Place) => void) => save((p) => edit(p.place));
  const by = plan.by;
  const named = (at: number) => areas?.name[at] ?? String(at + 1);
  const nameOf = (identifier: string) => areas?.name[areas.identifier.indexOf(identifier)] ?? identifier;
  const here = selected !== null && areas ? areas.identifier[selected] : null;
  const chosen = useRef({ from, here, change });
  chosen.current = { from, here, change };
  useEffect(() => {
    const { from: one, here: two, change: edit } = chosen.current;
    if (selected === null || one === null || two === null || one === two) return;
    edit((place) => linked(place, one, two));
    setFrom(null);
  }, [selected]);
  const take = (to: NeighboursBy) =>
    change((place) => {
      place.neighbours.by = to;
    });
  return (
    <Box>
      <Pick<Way>
        label="Neighbours are areas"
        value={wayOf(by)}
        options={[
          ["corner", "with a border or a corner in common"],
          ["border", "with a border in common"],
          ["distance", "whose middles are near"],
          ["nearest", "that are nearest"],
        ]}
        onChange={(way) => take(FRESH[way])}
      />
      {by.kind === "border" && view.kind === "zones" && (
        <NumberField
          label="Borders this near are one, metres"
          value={by.within_m}
          least={0}
          most={1000}
          onKeep={(within_m) => take({ ...by, within_m })}
        />
      )}
      {by.kind === "distance" && (
        <NumberField
          label="Middles at most this far apart, km"
          value={by.km}
          least={0.001}
          most={20_000}
          onKeep={(km) => take({ ...by, km })}
        />
      )}
      {by.kind === "nearest" && (
        <NumberField
          label="How many of the nearest"
          value={by.count}
          least={1}
          most={100}
          whole
          onKeep={(count) => take({ ...by, count })}
        />
      )}
      {found && (
        <Quiet>
          An area has {found.mean.toFixed(1)} neighbours on average
          {found.without
            ? `; ${plural(found.without, "area has none", "areas have none")}: `
            : ", and each has one."}
          {found.areas_without.slice(0, all ? LISTED : NAMED).map((at, i) => (
            <span key={at}>
              {i > 0 && ", "}
              <Link onClick={() => set({ selected: at })}>{named(at)}</Link>
            </span>
          ))}
          {found.without > NAMED && !all && (
            <>
              {" … "}
              <Link onClick={() => setAll(true)}>show all</Link>
            </>
          )}
        </Quiet>
      )}
      {here === null || !areas ? (
        <Quiet>Choose an area on the map to see its neighbours, or to link it with another.</Quiet>
      ) : found ? (
        <Box sx={{ mt: 1 }}>
          <Quiet>
            Neighbours of {named(selected!)}:{" "}
            {found.of_area.length
              ? found.of_area
                  .slice(0, 2 * NAMED)
                  .map(named)
                  .join(", ")
              : "none"}
            {found.of_area.length > 2 * NAMED && " …"}
          </Quiet>
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <Pick
              label={`Link ${named(selected!)} with`}
              value={other}
              options={[
                ["", "choose"],
                ...areas.identifier
                  .slice(0, LISTED)
                  .filter((id) => id !== here)
                  .map((id) => [id, nameOf(id)] as const),
              ]}
              onChange={setOther}
            />
            <Link
              onClick={() => {
                if (other) change((place) => linked(place, here, other));
                setOther("");
              }}
            >
              link
            </Link>
          </Box>
          <Box sx={{ mt: 0.5 }}>
            {from === here ? (
              <Quiet>Now choose the other area on the map.</Quiet>
            ) : (
              <Link onClick={() => setFrom(here)}>or with one chosen on the map</Link>
            )}
          </Box>
        </Box>
      ) : null}
      {plan.links.map(([a, b], at) => (
        <Box key={`${a} ${b}`} sx={{ display: "flex", gap: 1, fontSize: "0.8125rem" }}>
          <Box sx={{ flex: 1 }}>
            {nameOf(a)} – {nameOf(b)}
          </Box>
          <Link onClick={() => change((place) => unlinked(place, at))}>undo</Link>
        </Box>
      ))}
    </Box>
  );
}
