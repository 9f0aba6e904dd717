/** Which areas: zones from a file with what was found in it, or a grid. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Answer } from "../../parts/Answer";
import { Pick } from "../../parts/Fields";
import { Link, Quiet } from "../../parts/parts";
import { SystemField } from "../../parts/SystemField";
import { projectionOf, withAreas, zonesOf } from "../../plan/place";
import type { Zones } from "../../plan/types";
import { saidIn, useAnswer } from "../../state/asked";
import { useProjection, useSources, useSurvey } from "../../state/queries";
import { useParts } from "../../state/store";
import { GridForm } from "./GridForm";
import type { PlaceProps } from "./props";
import { Survey } from "./Survey";

const A_GRID = " a grid";

export function AreasTab({ study, view, save }: PlaceProps) {
  const sources = useSources(study);
  const areas = view.plan.place.areas;
  const { tried, set } = useParts("tried", "set");
  const gridding = areas.kind === "grid" || tried !== null;
  const [choosing, setChoosing] = useState(gridding);
  const source = areas.kind === "zones" ? areas.source : A_GRID;
  const chosen = choosing ? A_GRID : source;
  return (
    <>
      <RadioGroup value={chosen} aria-label="Areas">
        <Answer of={sources}>
          {(all) =>
            all
              .filter((s) => s.role === "zones")
              .map((z) => (
                <FormControlLabel
                  key={z.name}
                  value={z.name}
                  label={z.name}
                  control={
                    <Radio
                      size="small"
                      sx={{ py: 0.5 }}
                      onChange={() => {
                        setChoosing(false);
                        set({ tried: null, held: [] });
                        if (source !== z.name) save((plan) => withAreas(plan, zonesOf(z)));
                      }}
                    />
                  }
                />
              ))
          }
        </Answer>
        <FormControlLabel
          value={A_GRID}
          label="a grid of equal cells"
          control={<Radio size="small" sx={{ py: 0.5 }} onChange={() => setChoosing(true)} />}
        />
      </RadioGroup>
      {choosing ? (
        <GridForm study={study} view={view} save={save} />
      ) : areas.kind === "grid" ? null : (
        <ZonesForm study={study} view={view} save={save} areas={areas} />
      )}
      <Projection study={study} view={view} save={save} />
    </>
  );
}

function ZonesForm({ study, view, save, areas }: PlaceProps & { areas: Zones }) {
  const source = useAnswer(useSources(study))?.find((s) => s.name === areas.source);
  const { survey } = useSurvey(study, areas.source, areas.identifier, areas.name);
  const columns = source?.columns ?? [];
  const overlapping =
    saidIn("what the zones are like", survey)?.kinds.some((k) => k.kind === "overlap") ?? false;
  const change = (alter: Record<string, string | null>) =>
    save((plan) => {
      Object.assign(plan.place.areas, alter);
    });
  const options = (none: string) => [["", none] as const, ...columns.map((c) => [c, c] as const)];
  const rolled = areas.roll_up ?? "";
  return (
    <>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Pick
          label="Identifier"
          value={areas.identifier ?? ""}
          options={options("none: number the zones")}
          onChange={(c) => change({ identifier: c || null })}
        />
        <Pick
          label="Name"
          value={areas.name ?? ""}
          options={options("the identifier")}
          onChange={(c) => change({ name: c || null })}
        />
      </Box>
      <Pick
        label="Join zones that have the same"
        value={rolled}
        options={options("each zone by itself")}
        onChange={(c) => change({ roll_up: c || null })}
      />
      <Pick
        label="Draw over the map the outlines of"
        value={view.plan.show.over ?? ""}
        options={options("nothing")}
        onChange={(c) =>
          save((plan) => {
            plan.show.over = c || null;
          })
        }
      />
      {(overlapping || areas.overlaps === "combinations") && !rolled && (
        <Pick
          label="An event where zones overlap counts"
          value={areas.overlaps}
          options={[
            ["each", "in every zone that it falls in"],
            ["combinations", "once, for that combination of zones"],
          ]}
          onChange={(overlaps) => change({ overlaps })}
        />
      )}
      <Survey study={study} source={areas.source} identifier={areas.identifier} name={areas.name} />
    </>
  );
}

/** What the map is drawn in and grids lie in, in plain words. */
function Projection({ view, save }: PlaceProps) {
  const projection = view.plan.place.projection;
  const found = useProjection(view, projection);
  const [changing, setChanging] = useState(false);
  const [text, setText] = useState(false);
  const choose = (system: string | null) => {
    setChanging(false);
    save((plan) => {
      plan.place.projection = projectionOf(system);
    });
  };
  return (
    <>
      <Answer of={found}>
        {({ name, says }) => (
          <Quiet>
            Working projection: {name}. {says}
          </Quiet>
        )}
      </Answer>
      <Link onClick={() => setChanging(!changing)}>
        {changing ? "leave the projection" : "choose another projection"}
      </Link>
      {changing && (
        <>
          <SystemField label="Projection" value={null} near={[]} onChange={choose} />
          {projection.system && (
            <Link onClick={() => choose(null)}>the equal-area one fitted to the data</Link>
          )}{" "}
          <Link onClick={() => setText(!text)}>give its text (WKT2)</Link>
          {text && <ProjectionText onKeep={choose} />}
        </>
      )}
    </>
  );
}

function ProjectionText({ onKeep }: { onKeep: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim()) onKeep(text.trim());
      }}
    >
      <TextField
        fullWidth
        multiline
        size="small"
        margin="dense"
        rows={4}
        label="Text of the projection"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <Button type="submit" size="small" variant="outlined" disabled={!text.trim()}>
        Use this text
      </Button>
    </form>
  );
}
