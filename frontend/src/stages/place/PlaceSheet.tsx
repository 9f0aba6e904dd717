/** Place's sheet: the areas, what of them counts, the events without an area, and how the placing can be checked. */
import type { Study, View } from "../../api/client";
import type { Save } from "../../state/queries";
import { type PlaceTab, useDoing } from "../../state/store";
import { Question, Tabs } from "../parts";
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
      <Tabs tabs={TABS} open={placeTab} onOpen={(tab) => set({ placeTab: tab })} />
      {placeTab === "areas" && <AreasTab {...props} />}
      {placeTab === "counted" && <CountsTab {...props} />}
      {placeTab === "unplaced" && <NotPlacedTab {...props} />}
      {placeTab === "checks" && <ChecksTab {...props} />}
    </>
  );
}
