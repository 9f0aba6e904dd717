/** What every part of Place's sheet is given. */
import type { Study, View } from "../../api/client";
import type { Save } from "../../state/queries";

export interface PlaceProps {
  study: Study;
  view: View;
  save: Save;
}
