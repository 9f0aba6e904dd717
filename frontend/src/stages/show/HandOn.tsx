/** What others take away: areas, events and accounts, in open formats, as one archive. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Schemas, Study, View } from "../../api/client";
import { plural, whole } from "../../format";
import { Field, Pick } from "../../parts/Fields";
import { Head, Quiet } from "../../parts/parts";
import { Ticked } from "../../parts/Ticked";
import { WorkBar } from "../../parts/WorkBar";
import { tableSays } from "../../plan/released";
import { useWork } from "../../state/work";

type What = Schemas["HandOn"]["what"][number];
type Kind = Schemas["HandOn"]["kinds"][number];

const KINDS: readonly (readonly [Kind, string])[] = [
  ["gpkg", "GeoPackage"],
  ["geojson", "GeoJSON, in longitude and latitude"],
  ["shp", "Shapefile: areas alone, names of ten letters"],
  ["fgb", "FlatGeobuf"],
  ["csv", "CSV"],
  ["xlsx", "workbook (XLSX)"],
  ["parquet", "Parquet, with shapes GeoParquet"],
];

export function HandOn({ study, view }: { study: Study; view: View }) {
  const [what, setWhat] = useState<readonly What[]>(["areas"]);
  const [kinds, setKinds] = useState<readonly Kind[]>(["gpkg", "csv"]);
  const [system, setSystem] = useState<"degrees" | "map" | "other">("degrees");
  const [code, setCode] = useState("");
  const work = useWork();
  const [gather, place] = view.ledger.stages;
  const aside = gather.records_set_aside + place.records_set_aside;
  const rule = view.plan.release;
  const single = rule === null || rule.event_points;
  const things: [What, string, boolean][] = [
    ["areas", `${plural(view.ledger.areas.read, "area")} with all their figures`, true],
    ["style", "the look of the areas (SLD)", true],
    [
      "events",
      `${plural(place.records_out, "placed event")} with their areas`,
      single && place.records_out > 0,
    ],
    ["set aside", `${plural(aside, "record")} set aside, and why`, single && aside > 0],
    ["kinds", "areas by kinds of events", view.by_kind],
    ["further table", `${tableSays(rule?.table ?? null)}, as released`, Boolean(rule?.table)],
    [
      "sets of areas",
      `events by sets of areas: ${whole(view.ledger.placements - place.records_out)} lie in a further one`,
      rule === null && view.ledger.placements > place.records_out,
    ],
    ["grid", "the areas alone, without figures", true],
  ];
  const ready = what.length > 0 && kinds.length > 0 && (system !== "other" || code.trim() !== "");
  const start = () => {
    const chosen = system === "degrees" ? {} : { system: system === "map" ? "map" : code.trim() };
    work.start(`/api/studies/${study.id}/hand-on`, { version: view.version, what, kinds, ...chosen });
  };
  return (
    <>
      {things
        .filter(([, , there]) => there)
        .map(([thing, label]) => (
          <Ticked
            key={thing}
            label={label}
            on={what.includes(thing)}
            onChange={(on) => setWhat(on ? [...what, thing] : what.filter((w) => w !== thing))}
          />
        ))}
      <Head>As</Head>
      {KINDS.map(([kind, label]) => (
        <Ticked
          key={kind}
          label={label}
          on={kinds.includes(kind)}
          onChange={(on) => setKinds(on ? [...kinds, kind] : kinds.filter((k) => k !== kind))}
        />
      ))}
      <Box sx={{ mt: 1 }}>
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
      </Box>
      {system === "other" && (
        <Field label="Its code" value={code} placeholder="EPSG:3035" onChange={setCode} />
      )}
      <Box sx={{ mt: 1 }}>
        <Button size="small" variant="outlined" disabled={!ready || work.busy} onClick={start}>
          Hand on
        </Button>
      </Box>
      <WorkBar work={work} />
      {rule && !single && (
        <Quiet>The release rule “{rule.name}” lets out no single events, and no records set aside.</Quiet>
      )}
      <Quiet>One archive, with a table that says what each column is.</Quiet>
    </>
  );
}
