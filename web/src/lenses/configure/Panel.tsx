import clsx from "clsx";
import type { WholeDevice } from "../../api/client";
import { placesOf } from "../../lib/panel";
import { place } from "../../lib/place";
import { Heading } from "../../ui/parts";
import { type Live, PointMark } from "./PointNow";

/** Its connectors and terminals as printed, with what each place is now; a place leads to its values. */
export function Panel({ device, points }: { device: WholeDevice; points: Live }) {
  const { connectors, axes } = device.face;
  if (!connectors.length) return null;
  const paths = device.settings.map(({ path, place: at }) => ({ path, place: at }));
  return (
    <>
      <Heading>Panel</Heading>
      <div className="mb-3 flex flex-wrap gap-2">
        {connectors.map((one) => {
          const places = placesOf(one, (axes[one.axis] ?? []).map((at) => at.number), device.points, paths);
          const upright = one.first === "top" || one.first === "bottom";
          return (
            <figure key={one.printed} className="min-w-0 rounded-[3px] border border-warp bg-ground/60 px-2 pt-1 pb-1.5">
              <figcaption className="flex items-baseline gap-2 text-[12px]" title={one.note}>
                <b className="font-mono">{one.printed}</b>
                <span className="text-soft">
                  {one.kind}
                  {one.first && `, 1 is on the ${one.first}`}
                </span>
              </figcaption>
              {places.length > 0 && (
                <ul className={clsx("mt-1 flex gap-0.5", upright ? "flex-col" : "flex-wrap")}>
                  {places.map((at) => (
                    <li key={at.terminals.join()}>
                      <Place at={at} state={at.point && points.states?.[at.point.short]} />
                    </li>
                  ))}
                </ul>
              )}
              {one.excludes.length > 0 && <p className="mt-1 text-[11.5px] text-soft">Not at once: {one.excludes.map((uses) => uses.join(" or ")).join("; ")}.</p>}
            </figure>
          );
        })}
      </div>
    </>
  );
}

function Place({ at, state }: { at: ReturnType<typeof placesOf>[number]; state: string | undefined }) {
  const { point, path, terminals } = at;
  const words = point ? `${point.label}: ${state === undefined ? "not known" : (point.words[state] ?? state)}` : terminals.join(" ");
  const screws = (
    <>
      {point && (
        <span className="flex justify-center py-0.5">
          <PointMark on={point.states.length === 2 && state === point.states[1]} known={state !== undefined} kind={point.kind} />
        </span>
      )}
      <span className="flex justify-center gap-px">
        {terminals.map((terminal) => (
          <span key={terminal} className="border border-weave bg-cloth px-px text-center font-mono text-[10px] leading-4 whitespace-nowrap">
            {terminal}
          </span>
        ))}
      </span>
    </>
  );
  if (!path) return <span title={words}>{screws}</span>;
  return (
    <button type="button" title={`${words}. To its values`} aria-label={`${words}. To its values`} className="rounded-[2px] hover:bg-weave/60" onClick={() => place.set({ setting: path })}>
      {screws}
    </button>
  );
}
