import { useSyncExternalStore } from "react";

const QUERY = "(max-width: 759px)";

function follow(told: () => void): () => void {
  const media = matchMedia(QUERY);
  media.addEventListener("change", told);
  return () => media.removeEventListener("change", told);
}

/** Whether there is room for one place only: a phone in the hand of somebody at the rack. */
export const useNarrow = (): boolean => useSyncExternalStore(follow, () => matchMedia(QUERY).matches);
