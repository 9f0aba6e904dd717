/** The place of one record by the user's word: typed, or clicked on the map. It goes into the plan, not the file. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Study, View } from "../api/client";
import { Field } from "../parts/Fields";
import { mappedEvents } from "../plan/mapped";
import { useSavePlan } from "../state/queries";
import { useParts } from "../state/store";
import { RULE } from "../theme";

export function Correction({ study, view, record }: { study: Study; view: View; record: string }) {
  const { corrected, set } = useParts("corrected", "set");
  const save = useSavePlan(study, view);
  const [lon, setLon] = useState("");
  const [lat, setLat] = useState("");
  const [x, y] = [Number(lon || corrected?.[0]), Number(lat || corrected?.[1])];
  const sound =
    (lon || corrected) &&
    (lat || corrected) &&
    x >= -180 &&
    x <= 360 &&
    y >= -90 &&
    y <= 90 &&
    Number.isFinite(x + y);
  const keep = () => {
    save.mutate((plan) => {
      const others = mappedEvents(plan).corrections.filter((c: { record: string }) => c.record !== record);
      mappedEvents(plan).corrections = [...others, { record, x, y }];
    });
    set({ correcting: null, corrected: null });
  };
  return (
    <Box
      component="form"
      aria-label="Place of the record"
      onSubmit={(event) => {
        event.preventDefault();
        if (sound) keep();
      }}
      sx={{
        display: "flex",
        gap: 1.5,
        alignItems: "center",
        px: 2,
        borderTop: `1px solid ${RULE}`,
        flexWrap: "wrap",
      }}
    >
      <Box sx={{ flexShrink: 0 }}>Where was {record}? Click the map, or type it.</Box>
      <Box sx={{ width: 150 }}>
        <Field label="Longitude" value={lon || (corrected?.[0].toFixed(6) ?? "")} onChange={setLon} />
      </Box>
      <Box sx={{ width: 150 }}>
        <Field label="Latitude" value={lat || (corrected?.[1].toFixed(6) ?? "")} onChange={setLat} />
      </Box>
      <Button type="submit" size="small" variant="outlined" disabled={!sound}>
        Keep this place
      </Button>
      <Button size="small" onClick={() => set({ correcting: null, corrected: null })}>
        Leave it aside
      </Button>
    </Box>
  );
}
