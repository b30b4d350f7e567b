import { useMutation, useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useEffect, useRef, useState } from "react";
import { api, asProblem, got, type Line, type Schemas } from "../../../api/client";
import { tellProblem } from "../../../api/work";
import type { Fixture } from "../../../lib/universes";
import { plural } from "../../../lib/words";
import { Button } from "../../../ui/Button";
import { Choice, Heading, Input, Labelled, Trouble } from "../../../ui/parts";

const AGAIN_MS = 200;
const SECONDS = [0.5, 1, 2, 5, 10];
const ACROSS = 32;
const CELL = 15;

type Protocol = "sacn" | "artnet";

/** Levels of a universe as they are heard now, who sends them, and a test of its fixtures. Each protocol counts in its own way. */
export function Levels({ line, universe, fixtures }: { line: Line; universe: Schemas["Universe"]; fixtures: Fixture[] }) {
  const [protocol, setProtocol] = useState<Protocol>("sacn");
  const [sacn, setSacn] = useState(String(universe.number + 1));
  const number = protocol === "artnet" ? universe.number : Number(sacn) || 0;
  const { data, error, refetch } = useQuery({
    queryKey: ["levels", line.id, protocol, number],
    queryFn: () => got(api.POST("/api/lines/{ident}/levels", { params: { path: { ident: line.id } }, body: { protocol, universe: number } })),
    refetchInterval: AGAIN_MS,
    enabled: protocol === "artnet" || (number >= 1 && number <= 63999),
    gcTime: 0,
  });
  return (
    <section aria-label={`Levels of universe ${universe.shown}`} className="mt-2">
      <div className="flex flex-wrap items-end gap-2">
        <Labelled label="As">
          <Choice value={protocol} onChange={(event) => setProtocol(event.target.value as Protocol)} aria-label="Protocol of the levels">
            <option value="sacn">sACN</option>
            <option value="artnet">Art-Net</option>
          </Choice>
        </Labelled>
        {protocol === "sacn" ? (
          <Labelled label="Universe, from 1">
            <Input aria-label="Universe as sACN counts" inputMode="numeric" value={sacn} onChange={(event) => setSacn(event.target.value)} className="w-20 font-mono" />
          </Labelled>
        ) : (
          <span className="pb-1 text-[12.5px]">
            port address <span className="font-mono">{universe.shown}</span>, from 0
          </span>
        )}
      </div>
      <p className="mt-1 text-[12px] text-soft">
        {protocol === "sacn" && `Universe ${universe.number} by Art-Net is ${universe.number + 1} by sACN where a desk counts on; another one counts otherwise. `}
        {data?.hears}
      </p>
      {error && !data && <Trouble problem={asProblem(error)} again={() => void refetch()} />}
      {data?.trouble && <Trouble problem={{ message: data.trouble, hint: "Another program may hold that port." }} />}
      {data && <Picture levels={data.levels} />}
      {data && <Sources sources={data.sources} others={data.others} />}
      {data && protocol === "sacn" && <Test line={line} number={number} fixtures={fixtures} test={data.test} />}
    </section>
  );
}

/** 512 slots, each filled as far as its level. */
function Picture({ levels }: { levels: number[] }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const drawn = canvas.current?.getContext("2d");
    if (!drawn || !canvas.current) return;
    const style = getComputedStyle(canvas.current);
    const [line, full] = [style.getPropertyValue("--weave"), style.getPropertyValue("--indigo")];
    drawn.clearRect(0, 0, canvas.current.width, canvas.current.height);
    levels.forEach((level, slot) => {
      const [x, y] = [(slot % ACROSS) * CELL, Math.floor(slot / ACROSS) * CELL];
      drawn.fillStyle = line;
      drawn.fillRect(x, y + CELL - 1, CELL - 1, 1);
      drawn.fillStyle = full;
      const high = Math.round((level / 255) * (CELL - 2));
      if (high) drawn.fillRect(x, y + CELL - 1 - high, CELL - 2, high);
    });
  }, [levels]);
  const up = levels.flatMap((level, slot) => (level ? [slot + 1] : []));
  const words = up.length ? `${plural(up.length, "slot")} up: ${up.slice(0, 12).join(", ")}${up.length > 12 ? " …" : ""}` : "All slots are at 0";
  return (
    <figure className="mt-2">
      <canvas ref={canvas} width={ACROSS * CELL} height={(512 / ACROSS) * CELL} role="img" aria-label={words} className="max-w-full rounded-[3px] border border-weave" />
      <figcaption className="text-[12px] text-soft" aria-live="off">
        {words}
      </figcaption>
    </figure>
  );
}

function Sources({ sources, others }: { sources: Schemas["LevelSource"][]; others: number }) {
  if (!sources.length) return <p className="mt-1 text-[12.5px] text-soft">Nobody is heard sending it.</p>;
  const equal = sources.filter((one) => one.priority === sources[0].priority).length;
  return (
    <>
      <table className="mt-1 w-full text-[12.5px]" aria-label="Who sends it">
        <thead>
          <tr className="text-left text-[12px] text-soft">
            <th className="font-normal">Source</th>
            <th className="font-normal">At</th>
            <th className="text-right font-normal">Priority</th>
            <th className="text-right font-normal">Rate</th>
            <th className="text-right font-normal">Lost</th>
          </tr>
        </thead>
        <tbody>
          {sources.map((one) => (
            <tr key={one.who} className={clsx("border-b border-weave/60", !one.counts && "text-soft line-through decoration-1")}>
              <td className="max-w-40 truncate" title={one.who}>
                {one.name || "without a name"}
              </td>
              <td className="font-mono">{one.address}</td>
              <td className="text-right font-mono">{one.priority || "–"}</td>
              <td className="text-right font-mono">{one.rate} /s</td>
              <td className="text-right font-mono">{one.lost}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {equal > 1 && <p className="text-[12.5px] text-weld">{equal} sources are equal: of each slot the highest level counts.</p>}
      {others > 0 && <p className="text-[12.5px] text-weld">and more sources than are shown.</p>}
    </>
  );
}

function Test({ line, number, fixtures, test }: { line: Line; number: number; fixtures: Fixture[]; test: Schemas["FixtureTest"] | null }) {
  const [seconds, setSeconds] = useState(2);
  const [asked, setAsked] = useState(false);
  const there = fixtures.filter((one) => one.start > 0 && one.slots > 0 && one.start + one.slots - 1 <= 512);
  const path = { params: { path: { ident: line.id } } };
  const begin = useMutation({
    mutationFn: () => got(api.POST("/api/lines/{ident}/raise", { ...path, body: { universe: number, seconds, fixtures: there.map(({ name, start, slots }) => ({ name, start, slots })) } })),
    onError: tellProblem,
    onSettled: () => setAsked(false),
  });
  const end = useMutation({ mutationFn: () => got(api.POST("/api/lines/{ident}/raise/end", { ...path, body: { universe: number } })), onError: tellProblem });
  if (!there.length && !test) return null;
  return (
    <div className="mt-2 text-[12.5px]">
      <Heading aside="by sACN, above every other source">One fixture after the other</Heading>
      {test ? (
        <p role="status" className="flex items-center gap-2">
          <b className="font-medium">{test.at < 0 ? "The levels before come back …" : `${test.fixtures[test.at]} is up`}</b>
          <span className="text-soft">
            {Math.max(test.at + 1, 0)} of {test.fixtures.length}, priority {test.priority}
          </span>
          <Button disabled={end.isPending} onClick={() => end.mutate()}>
            End it
          </Button>
        </p>
      ) : (
        <p className="flex flex-wrap items-center gap-2">
          <Choice aria-label="Seconds for each" value={seconds} onChange={(event) => setSeconds(Number(event.target.value))}>
            {SECONDS.map((one) => (
              <option key={one} value={one}>
                {one} s each
              </option>
            ))}
          </Choice>
          {asked ? (
            <>
              <span className="text-madder">moves light:</span>
              <Button look="grave" autoFocus disabled={begin.isPending} onClick={() => begin.mutate()}>
                Raise {plural(there.length, "fixture")}
              </Button>
              <Button onClick={() => setAsked(false)}>no</Button>
            </>
          ) : (
            <Button onClick={() => setAsked(true)}>Raise {plural(there.length, "fixture")} in turn …</Button>
          )}
          <span className="text-soft">All other slots stay as they are heard; they come back afterwards, or when this page is left.</span>
        </p>
      )}
    </div>
  );
}
