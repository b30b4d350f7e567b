import { type RefObject, useEffect, useState } from "react";

const MARGIN = "0px 700px"; // so that a strand has its knots before it is seen

/** Whether something is in view, or about to be: sixty strands at once are more than a page draws sixty times a second. */
export function useNear(place: RefObject<Element | null>): boolean {
  const [near, setNear] = useState(false);
  useEffect(() => {
    const one = place.current;
    if (!one) return;
    const watch = new IntersectionObserver(([last]) => setNear(last.isIntersecting), { rootMargin: MARGIN });
    watch.observe(one);
    return () => watch.disconnect();
  }, [place]);
  return near;
}
