/** What others take away: the areas with all their figures, in open formats. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import { useState } from "react";
import { resultsOf } from "../../api/bulk";
import type { View } from "../../api/client";
import { plural } from "../../format";
import { Field, Pick } from "../../parts/Fields";
import { Quiet } from "../../parts/parts";

const KINDS = [
  ["gpkg", "GeoPackage"],
  ["geojson", "GeoJSON, in longitude and latitude"],
  ["shp", "Shapefile, names of ten letters"],
  ["fgb", "FlatGeobuf"],
  ["csv", "CSV"],
  ["xlsx", "workbook (XLSX)"],
  ["parquet", "GeoParquet"],
] as const;

export function HandOn({ view }: { view: View }) {
  const [kinds, setKinds] = useState<readonly string[]>(["gpkg", "csv"]);
  const [system, setSystem] = useState<"degrees" | "map" | "other">("degrees");
  const [code, setCode] = useState("");
  const chosen = system === "degrees" ? "" : system === "map" ? "map" : code.trim();
  const wanted = new URLSearchParams(kinds.map((k) => ["kinds", k]));
  if (chosen) wanted.set("system", chosen);
  const ready = kinds.length > 0 && (system !== "other" || code.trim() !== "");
  return (
    <>
      <Quiet>
        {plural(view.ledger.areas.read, "area")} with inputs, values, intervals, states, classes and colours,
        and the areas’ own columns.
      </Quiet>
      {KINDS.map(([kind, label]) => (
        <FormControlLabel
          key={kind}
          label={label}
          sx={{ display: "flex" }}
          control={
            <Checkbox
              size="small"
              checked={kinds.includes(kind)}
              onChange={(_, on) => setKinds(on ? [...kinds, kind] : kinds.filter((k) => k !== kind))}
              sx={{ py: 0.25 }}
            />
          }
        />
      ))}
      <Pick
        label="Coordinates"
        value={system}
        options={[
          ["degrees", "longitude and latitude"],
          ["map", "those of the map"],
          ["other", "another system"],
        ]}
        onChange={setSystem}
      />
      {system === "other" && (
        <Field label="Its code" value={code} placeholder="EPSG:3035" onChange={setCode} />
      )}
      <Box sx={{ mt: 1 }}>
        <Button
          size="small"
          variant="outlined"
          disabled={!ready}
          href={`${resultsOf(view)}/areas.zip?${wanted}`}
          download
        >
          Hand on the areas
        </Button>
      </Box>
      <Quiet>One archive, with a table that says what each column is.</Quiet>
    </>
  );
}
