import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, got, type Schemas, type WholeDevice } from "../../api/client";
import { feedQuery } from "../../api/queries";
import { tellProblem } from "../../api/work";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, When } from "../../ui/parts";

type Feed = Schemas["Feed"];

/** A text that is said to the device again and again, as a source outside does, and what the device tells of it. */
export function Feeds({ device }: { device: WholeDevice }) {
  const { data: feed, refetch } = useQuery(feedQuery(device.id));
  const path = { params: { path: { word: device.id } } };
  const begin = useMutation({
    mutationFn: (body: Schemas["FeedBeginRequest"]) => got(api.POST("/api/devices/{word}/feed", { ...path, body })),
    onError: tellProblem,
    onSettled: () => void refetch(),
  });
  const end = useMutation({ mutationFn: () => got(api.DELETE("/api/devices/{word}/feed", path)), onError: tellProblem, onSettled: () => void refetch() });
  const under = feed && feed.phase !== "over";
  return (
    <section aria-label="Feed">
      <Heading
        aside={
          feed?.phase === "saying" && (
            <Button onClick={() => end.mutate()} disabled={end.isPending}>
              End the feed
            </Button>
          )
        }
      >
        Feed
      </Heading>
      {!under && <Begin device={device} busy={begin.isPending} begin={(body) => begin.mutate(body)} />}
      {feed && <Now feed={feed} device={device} />}
    </section>
  );
}

function Begin({ device, busy, begin }: { device: WholeDevice; busy: boolean; begin: (body: Schemas["FeedBeginRequest"]) => void }) {
  const [point, setPoint] = useState(device.feeds[0].point);
  const known = device.feeds.find((one) => one.point === point) ?? device.feeds[0];
  const [text, setText] = useState("");
  const [every, setEvery] = useState(String(known.every));
  const [minutes, setMinutes] = useState("10");
  const disturbs = device.points.find((one) => one.short === known.point)?.disturbs ?? [];
  const submit = (event: FormEvent) => {
    event.preventDefault();
    begin({ point: known.point, text, every: Number(every), minutes: Number(minutes) });
  };
  return (
    <form onSubmit={submit} className="mb-1.5 text-[12.5px]">
      <div className="flex flex-wrap items-center gap-1.5">
        {device.feeds.length > 1 && (
          <Choice aria-label="What is fed" value={point} onChange={(event) => (setPoint(event.target.value), setEvery(String(device.feeds.find((one) => one.point === event.target.value)?.every ?? 1)))}>
            {device.feeds.map((one) => (
              <option key={one.point} value={one.point}>
                {one.label}
              </option>
            ))}
          </Choice>
        )}
        <Input aria-label={`${known.label} to say`} placeholder={known.label} required value={text} onChange={(event) => setText(event.target.value)} className="min-w-40 flex-1" />
        <label className="flex items-center gap-1">
          every
          <Input type="number" aria-label="Seconds between two" min={known.quickest} max={known.slowest} step="any" required value={every} onChange={(event) => setEvery(event.target.value)} className="w-16 text-right" /> s
        </label>
        <label className="flex items-center gap-1">
          for
          <Input type="number" aria-label="Minutes at most" min={0.05} max={480} step="any" required value={minutes} onChange={(event) => setMinutes(event.target.value)} className="w-16 text-right" /> min
        </label>
        <Button type="submit" disabled={busy || !text}>
          {busy ? "Beginning …" : "Feed it"}
        </Button>
      </div>
      <p className="mt-1 text-[12px] text-soft">
        It is said again and again, as its source would{disturbs.length ? `; it disturbs: ${disturbs.join(", ")}` : ""}. When it ends, the device is to tell within {known.after} s: {known.alone.join(", ")}.
      </p>
    </form>
  );
}

const MARKS = { true: "✓", false: "✗", null: "…" } as const;

function Now({ feed, device }: { feed: Feed; device: WholeDevice }) {
  if (feed.phase === "over")
    return (
      <p role="status" className="text-[12.5px]">
        <b>Last feed</b>, <span className="font-mono">{feed.text}</span> by {feed.by}
        {feed.ended && (
          <>
            , ended <When at={new Date(feed.ended * 1000).toISOString()} />
          </>
        )}
        : {feed.account}
      </p>
    );
  const ending = feed.phase === "ending";
  return (
    <div role="status" className="text-[12.5px]">
      <p>
        {ending ? `No more is said. What ${device.name} does now is looked at.` : <>
          <span className="font-mono">{feed.text}</span> every {feed.every} s by {feed.by}, said {feed.said} times, until {new Date(feed.until * 1000).toLocaleTimeString("en-GB")} at the latest.
        </>}
      </p>
      <ul>
        {feed.told.map((one) => {
          const key = String(one.holds) as keyof typeof MARKS;
          return (
            <li key={one.what}>
              <span className={key === "true" ? "text-woad" : key === "false" ? "text-madder" : "text-soft"} aria-hidden>
                {MARKS[key]}
              </span>{" "}
              {one.what} {one.holds === false && <span className="text-madder">(the device tells otherwise)</span>}
              {one.holds === null && <span className="text-soft">({feed.looks ? "not known now" : "not told yet"})</span>}
            </li>
          );
        })}
      </ul>
      {feed.trouble && !ending && (
        <p className="text-madder">
          {feed.trouble} It is tried again; {feed.failed} times without success.
        </p>
      )}
      {feed.late > 0 && <p className="text-soft">{feed.late} of them went out late: the line has no time for more.</p>}
    </div>
  );
}
