/** Marks the page while anything is asked of the server or saved there, for whoever must wait until nothing is. */
import { useIsFetching, useIsMutating } from "@tanstack/react-query";
import { useEffect } from "react";

export function Busy() {
  const busy = useIsFetching() + useIsMutating() > 0;
  useEffect(() => {
    document.body.dataset.busy = String(busy);
  }, [busy]);
  return null;
}
