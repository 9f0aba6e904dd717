/** Place's sheet: the areas, what of them counts, the events without an area, and how the placing can be checked. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import type { Study, View } from "../../api/client";
import type { Save } from "../../state/queries";
import { type PlaceTab, useDoing } from "../../state/store";
import { INK } from "../../theme";
import { Question } from "../parts";
import { AreasTab } from "./AreasTab";
import { ChecksTab } from "./ChecksTab";
import { CountsTab } from "./CountsTab";
import { NotPlacedTab } from "./NotPlacedTab";

const TABS: readonly PlaceTab[] = ["areas", "counted", "unplaced", "checks"];

export interface PlaceProps {
  study: Study;
  view: View;
  save: Save;
}

export function PlaceSheet(props: PlaceProps) {
  const { placeTab, set } = useDoing();
  return (
    <>
      <Question>Where does each fall?</Question>
      <Box sx={{ display: "flex", gap: 2, mb: 1.5 }} role="group" aria-label="Part of the sheet">
        {TABS.map((tab) => (
          <ButtonBase
            key={tab}
            aria-pressed={tab === placeTab}
            onClick={() => set({ placeTab: tab })}
            sx={{
              font: "inherit",
              borderBottom: tab === placeTab ? `2px solid ${INK}` : "2px solid transparent",
            }}
          >
            {tab}
          </ButtonBase>
        ))}
      </Box>
      {placeTab === "areas" && <AreasTab {...props} />}
      {placeTab === "counted" && <CountsTab {...props} />}
      {placeTab === "unplaced" && <NotPlacedTab {...props} />}
      {placeTab === "checks" && <ChecksTab {...props} />}
    </>
  );
}
