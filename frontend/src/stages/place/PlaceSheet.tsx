import { Question, Tabs } from "../../parts/parts";
/** Place's sheet: the areas, what of them counts, the events without an area, and how the placing can be checked. */
import { type PlaceTab, useParts } from "../../state/store";
import { AreasTab } from "./AreasTab";
import { ChecksTab } from "./ChecksTab";
import { CountsTab } from "./CountsTab";
import { NotPlacedTab } from "./NotPlacedTab";
import type { PlaceProps } from "./props";

const TABS: readonly PlaceTab[] = ["areas", "counted", "unplaced", "checks"];

export function PlaceSheet(props: PlaceProps) {
  const { placeTab, set } = useParts("placeTab", "set");
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
