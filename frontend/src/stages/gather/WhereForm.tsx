/** Where the records were: which columns say so, in which coordinate system. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import type { Look } from "../../api/client";
import { Pick } from "../../parts/Fields";
import { SystemField } from "../../parts/SystemField";
import { type Choices, type DraftCoordinates, others } from "../../plan/choices";

const NOWHERE = JSON.stringify({ kind: "none" });

export function WhereForm(props: {
  look: Look;
  choices: Choices;
  set: (change: Partial<Choices>) => void;
  read: (r: Record<string, unknown>) => void;
}) {
  const { look, choices, set, read } = props;
  const at = choices.coordinates;
  const columns = look.columns.map((c) => [c.name, c.name] as const);
  const guessed = look.coordinates.map((c) => JSON.stringify(placeOnly(c)));
  const now = at ? JSON.stringify(placeOnly(at)) : "";
  const kinds = [
    ...look.coordinates.map((c, i) => [guessed[i], placeSays(c)] as const),
    ...(guessed.includes(now) || !at ? [] : [[now, placeSays(at)] as const]),
    ["columns", "two columns that I choose"] as const,
    ["pair", "one column with both"] as const,
    ["point text", "one column with POINT (x y)"] as const,
    ...(now === NOWHERE ? [] : [[NOWHERE, placeSays({ kind: "none" })] as const]),
  ];
  const change = (value: string) => {
    const first = look.columns[0]?.name ?? "";
    const found = look.coordinates[guessed.indexOf(value)];
    const crs = at && at.kind !== "none" ? at.crs : null;
    if (found)
      set({
        coordinates: {
          ...(found as unknown as DraftCoordinates),
          crs: (found.crs as string | null) ?? crs,
        } as DraftCoordinates,
      });
    else if (value === NOWHERE) set({ coordinates: { kind: "none" } });
    else if (value === "columns")
      set({ coordinates: { kind: "columns", x: first, y: first, decimal: ".", crs } });
    else if (value === "pair")
      set({
        coordinates: { kind: "pair", column: first, order: "lat-lon", decimal: ".", crs: crs ?? "EPSG:4326" },
      });
    else if (value === "point text") set({ coordinates: { kind: "point text", column: first, crs } });
  };
  const put = (part: Record<string, string | null>) =>
    set({ coordinates: { ...at, ...part } as DraftCoordinates });
  return (
    <>
      <Pick
        label="Where it was"
        value={now}
        options={at ? kinds : [["", "not found"], ...kinds]}
        onChange={change}
      />
      {at?.kind === "columns" && !guessed.includes(now) && (
        <Box sx={{ display: "flex", gap: 1 }}>
          <Pick label="East" value={at.x ?? ""} options={columns} onChange={(x) => put({ x })} />
          <Pick label="North" value={at.y ?? ""} options={columns} onChange={(y) => put({ y })} />
        </Box>
      )}
      {(at?.kind === "pair" || at?.kind === "point text") && !guessed.includes(now) && (
        <Pick
          label="Column"
          value={at.column ?? ""}
          options={columns}
          onChange={(column) => put({ column })}
        />
      )}
      {at?.kind === "pair" && (
        <Pick
          label="Which comes first"
          value={at.order ?? "lat-lon"}
          options={[
            ["lat-lon", "north first (latitude, longitude)"],
            ["lon-lat", "east first (longitude, latitude)"],
          ]}
          onChange={(order) => put({ order })}
        />
      )}
      <Pick
        label={
          at?.kind === "none" ? "The area's code or name stands in" : "The record's own area, if it says one"
        }
        value={choices.stated ?? ""}
        options={[["", at?.kind === "none" ? "in which column?" : "no column"], ...columns]}
        onChange={(stated) => set({ stated: stated || null })}
      />
      {at && at.kind !== "none" && (
        <SystemField
          label="Coordinate system"
          value={at.crs}
          near={look.systems}
          onChange={(crs) => put({ crs })}
        />
      )}
      {others(look) > 0 && (
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={look.reading.inside ?? false}
              onChange={(event) => read({ inside: event.target.checked })}
            />
          }
          label="Take a point inside each line, polygon or group of points as the event"
        />
      )}
    </>
  );
}

function placeOnly(at: Record<string, unknown>): Record<string, unknown> {
  const { crs: _crs, decimal: _decimal, order: _order, ...rest } = at;
  return rest;
}

function placeSays(at: Record<string, unknown>): string {
  if (at.kind === "columns") return `${at.x} and ${at.y}`;
  if (at.kind === "geometry") return "the file's own points";
  if (at.kind === "none") return "in the area that the record states";
  return String(at.column);
}
