import { useMutation } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Run, RunStep } from "../api/client";
import { api, asProblem, got } from "../api/client";
import { useChange } from "../api/work";
import { Reasons } from "../lenses/survey/WhyNot";
import { size } from "../lib/words";
import { Button } from "../ui/Button";
import { Bar, Trouble } from "../ui/parts";

const LATE_S = 5;

/** What a run waits for: a person at the device, or the device itself, with the light to look at. */
export function AtHand({ run }: { run: Run }) {
  if (!run.waiting.length) return null;
  return (
    <ul aria-label="Waiting" className="max-h-[50vh] overflow-auto border-t border-warp bg-weld-wash px-4 py-2">
      {run.waiting.map((step) => (
        <li key={step.ordinal} className="flex flex-wrap items-baseline gap-x-3 gap-y-1 py-1 text-[13px]">
          <b>{step.name}</b>
          {step.asks ? <Asked run={run} step={step} asks={step.asks} /> : step.sends ? <Sent sends={step.sends} /> : step.waits && <Awaited device={step.device} waits={step.waits} />}
          {step.look_at.length > 0 && (
            <ul className="w-full text-[12.5px] text-soft">
              {step.look_at.map((line) => (
                <li key={line}>{line}</li>
              ))}
            </ul>
          )}
        </li>
      ))}
    </ul>
  );
}

/** The question, how long it waits, and the two answers; what was seen may be said in one's own words. */
function Asked({ run, step, asks }: { run: Run; step: RunStep; asks: NonNullable<RunStep["asks"]> }) {
  const [note, setNote] = useState("");
  const answer = useChange((came: boolean) =>
    got(api.POST("/api/runs/{ident}/answer", { params: { path: { ident: run.id } }, body: { step: step.ordinal, came, note } })),
  );
  const gone = useSeconds(asks.since);
  return (
    <>
      <span className="text-[15px] font-semibold" role="status">
        {asks.words}
      </span>
      {step.note && <span className="text-soft">{step.note}</span>}
      <span className="font-mono text-soft">{Math.max(0, Math.round(asks.within - gone))} s left</span>
      <span className="ml-auto flex flex-wrap gap-2">
        <input
          aria-label="What you saw"
          placeholder="what you saw"
          maxLength={200}
          value={note}
          onChange={(event) => setNote(event.target.value)}
          className="w-40 rounded border border-warp bg-cloth px-2 py-1"
        />
        <Button look="strong" disabled={answer.isPending || answer.isSuccess} onClick={() => answer.mutate(true)}>
          It is so
        </Button>
        <Button disabled={answer.isPending || answer.isSuccess} onClick={() => answer.mutate(false)}>
          It is not
        </Button>
      </span>
    </>
  );
}

/** How long it is away; where it is late, the reasons for it can be asked for, this computer's own network first. */
function Awaited({ device, waits }: { device: string; waits: NonNullable<RunStep["waits"]> }) {
  const gone = Math.round(useSeconds(waits.since));
  const why = useMutation({ mutationFn: () => got(api.POST("/api/why", { body: { device } })) });
  return (
    <>
      <span role="status">
        It is away for {gone} s; usually it is back in {waits.usual} s.
      </span>
      {gone > waits.usual + LATE_S && (
        <Button disabled={why.isPending} onClick={() => why.mutate()}>
          {why.isPending ? "Testing …" : "It is late: why?"}
        </Button>
      )}
      {(why.data || why.error) && (
        <div className="w-full">
          {why.error && <Trouble problem={asProblem(why.error)} />}
          {why.data?.there && <p className="text-woad">{why.data.there}</p>}
          {why.data && <Reasons reasons={why.data.reasons} />}
        </div>
      )}
    </>
  );
}

/** How much of a file is over, and how long the rest takes. */
function Sent({ sends }: { sends: NonNullable<RunStep["sends"]> }) {
  const share = sends.total ? sends.sent / sends.total : 0;
  return (
    <>
      <span className="w-48 self-center">
        <Bar share={share} label="Share of the file that is over" />
      </span>
      <span role="status">
        {size(sends.sent)} of {size(sends.total)}
        {sends.left !== null && sends.left >= 1 && `, about ${Math.round(sends.left)} s more`}
      </span>
      {!sends.unplug && <b className="text-madder">Do not unplug it.</b>}
    </>
  );
}

/** Seconds since a moment, counted on. */
function useSeconds(since: number): number {
  const [now, setNow] = useState(() => Date.now() / 1000);
  useEffect(() => {
    const timer = window.setInterval(() => setNow(Date.now() / 1000), 500);
    return () => window.clearInterval(timer);
  }, []);
  return Math.max(0, now - since);
}
