/** Figures of tables as they are offered for a sum. Knows no React. */
import type { Schemas } from "../api/client";

/** "residents, from “people”, shared out". */
export function offerSays({ term, people }: Schemas["OfferView"]): string {
  return `${people ? term.noun : term.value}, from “${term.source}”${term.shared ? ", shared out" : ""}`;
}
