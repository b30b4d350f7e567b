import { TriangleAlert } from "lucide-react";
import { useEffect, useState } from "react";
import { api, got, type Schemas, type WholeDevice } from "../../api/client";
import { useChange } from "../../api/work";
import { Button } from "../../ui/Button";
import { Choice, Input, Labelled } from "../../ui/parts";

const MINUTES = [5, 15, 30, 60, 240];

export type Fence = Schemas["FenceKnown"];

/** Fences that still stand; one that ends does so on the screen, too. */
export function useStanding(fences: Fence[]): Fence[] {
  const [now, setNow] = useState(() => Date.now());
  const standing = fences.filter((one) => Date.parse(one.until) > now);
  const next = Math.min(...standing.map((one) => Date.parse(one.until)));
  useEffect(() => {
    if (!Number.isFinite(next)) return;
    const timer = window.setTimeout(() => setNow(Date.now()), Math.min(next - Date.now() + 50, 2_000_000));
    return () => window.clearTimeout(timer);
  }, [next]);
  return standing;
}

/** What nobody drives or writes to for a time, and how to fence something off. */
export function Fences({ device }: { device: WholeDevice }) {
  const [making, setMaking] = useState(false);
  const standing = useStanding(device.fences);
  const word = { word: device.id };
  const lift = useChange((id: number) => got(api.DELETE("/api/devices/{word}/fences/{ident}", { params: { path: { ...word, ident: String(id) } } })));
  const make = useChange(
    (form: FormData) =>
      got(
        api.POST("/api/devices/{word}/fences", {
          params: { path: word },
          body: { point: String(form.get("point")), why: String(form.get("why")), minutes: Number(form.get("minutes")) },
        }),
      ),
    () => setMaking(false),
  );
  const drivable = device.points.filter((point) => point.drive);
  if (!drivable.length && !standing.length) return null;
  return (
    <div className="mb-2 text-[13px]">
      {standing.map((one) => (
        <p key={one.id} role="status" className="mb-1 flex items-center gap-2 rounded-[3px] border border-madder bg-madder-wash/40 px-2 py-1">
          <TriangleAlert size={15} className="shrink-0 text-madder" />
          <span className="flex-1">
            <b className="font-medium">{one.point ? (device.points.find((p) => p.short === one.point)?.label ?? one.point) : "The whole device"}</b> is fenced off by {one.by} until{" "}
            {new Date(one.until).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}: {one.why}
          </span>
          <Button disabled={lift.isPending} onClick={() => lift.mutate(one.id)}>
            Lift it
          </Button>
        </p>
      ))}
      {making ? (
        <form
          className="flex flex-wrap items-end gap-2 rounded-[3px] border border-weave bg-ground/40 px-2 py-2"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate(new FormData(event.currentTarget));
          }}
        >
          <Labelled label="Nobody drives or writes to">
            <Choice name="point" defaultValue="">
              <option value="">the whole device</option>
              {drivable.map((point) => (
                <option key={point.short} value={point.short}>
                  {point.label}
                </option>
              ))}
            </Choice>
          </Labelled>
          <Labelled label="for">
            <Choice name="minutes" defaultValue="30">
              {MINUTES.map((one) => (
                <option key={one} value={one}>
                  {one < 60 ? `${one} min` : `${one / 60} h`}
                </option>
              ))}
            </Choice>
          </Labelled>
          <Labelled label="because">
            <Input name="why" required maxLength={200} autoFocus placeholder="somebody is on the ladder" className="w-52" />
          </Labelled>
          <Button type="submit" look="strong" disabled={make.isPending}>
            Fence it off
          </Button>
          <Button onClick={() => setMaking(false)}>Leave it</Button>
        </form>
      ) : (
        <Button look="bare" className="!px-0" onClick={() => setMaking(true)}>
          Fence something off for a time …
        </Button>
      )}
    </div>
  );
}
