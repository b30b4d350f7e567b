import type { QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { toast } from "sonner";
import { live } from "../lib/live";
import type { Device, RunStep, Schemas } from "./client";
import { sessionQuery } from "./queries";
import { withRows, withSteps } from "./rows";

type Data = Record<string, unknown>;

/** Kinds of events, and which queries each makes stale. */
const STALE: Record<string, (data: Data) => unknown[][]> = {
  devices: () => [["overview"], ["changes"]],
  lines: () => [["overview"], ["ports"], ["console-logs"], ["place-troubles"], ["borrowed"]],
  watch: () => [["watch-mode"]],
  run: (d) => [["runs"], ["run", d.run], ["plan-made", d.run], ...(d.state === "running" ? [] : [["overview"], ["steps", d.run]])],
  backup: () => [["backups"]],
  routing: () => [["routing"]],
  paper: () => [["papers"]],
  journal: () => [["journal"]],
  feed: (d) => [["feed", d.device]],
  giving: (d) => [["giving", d.line]],
  device: (d) => [["device", d.device], ["free"], ["routing", "edids-at"], ["routing", "grids"]],
};
const GATHER_MS = 150;
const COUNT_MS = 1000; // how often the counts of a run under way are asked for
const AGAIN_MS = [500, 1000, 2000, 5000, 10_000];

/** Follows the server's events; a browser that was away gets what it missed, or loads everything anew. */
export function useServerEvents(client: QueryClient, signedIn: boolean): void {
  useEffect(() => {
    if (!signedIn) return;
    const follower = new Follower(client);
    return () => follower.close();
  }, [client, signedIn]);
}

class Follower {
  private source: EventSource | undefined;
  private last = "";
  private tries = 0;
  private again: number | undefined;
  private gather: number | undefined;
  private count: number | undefined;
  private stale = new Map<string, unknown[]>();
  private rows = new Map<string, Device | null>();
  private steps = new Map<string, RunStep[]>();
  private runs = new Set<string>();

  constructor(private readonly client: QueryClient) {
    this.open();
  }

  close(): void {
    this.source?.close();
    for (const timer of [this.again, this.gather, this.count]) window.clearTimeout(timer);
  }

  private open(): void {
    const fresh = !this.last;
    const source = (this.source = new EventSource(`/api/events${this.last ? `?last=${this.last}` : ""}`));
    const on = (kind: string, act: (data: never) => void) =>
      source.addEventListener(kind, (event) => {
        const message = event as MessageEvent;
        this.last = message.lastEventId || this.last;
        act(JSON.parse(message.data) as never);
      });
    for (const [kind, keys] of Object.entries(STALE))
      on(kind, (data: Data) => {
        for (const key of keys(data)) this.stale.set(JSON.stringify(key), key);
        this.soon();
      });
    on("device", (data: { device: string; row: Device | null }) => this.rows.set(data.device, data.row));
    on("step", (data: { run: string; step: RunStep }) => this.stepped(data.run, data.step));
    on("anew", () => this.anew());
    on("signed-out", () => this.signedOut());
    on("sighting", (data) => live.sighted(data));
    on("progress", (data) => live.progressed(data));
    on("planning", (data) => live.planned(data));
    on("notice", (data: { message: string }) => toast.warning(data.message));
    on("run", (data: { run: string; state: string }) => live.ran(data));
    on("points", (data) => live.pointed(data));
    on("edges", (data: { edges: Schemas["Edge"][] }) => live.edged(data.edges));
    on("chatter", (data: { chatter: Schemas["Chatter"][] }) => live.set({ chatter: data.chatter }));
    source.addEventListener("open", () => {
      this.tries = 0;
      live.connected(true);
      if (fresh) this.anew(); // what changed between the first look and now was told to nobody here
    });
    source.addEventListener("error", () => {
      live.connected(false);
      if (source.readyState === EventSource.CLOSED) this.later();
    });
  }

  private anew(): void {
    live.set({ chatter: undefined, going: false }); // a sweep that goes on says so again
    void this.client.invalidateQueries({ predicate: (query) => query.queryKey[0] !== "session" });
  }

  /** The server refused the stream, which the browser does not try again by itself. */
  private later(): void {
    this.source?.close();
    const retry = () =>
      void this.client
        .fetchQuery({ ...sessionQuery, staleTime: 0 })
        .then(() => this.open())
        .catch((error: { code?: string }) => (error.code === "signed-out" ? this.signedOut() : this.later()));
    this.again = window.setTimeout(retry, AGAIN_MS[Math.min(this.tries++, AGAIN_MS.length - 1)]);
  }

  private signedOut(): void {
    this.close();
    void this.client.resetQueries({ queryKey: ["session"] });
  }

  private stepped(run: string, step: RunStep): void {
    this.steps.set(run, [...(this.steps.get(run) ?? []), step]);
    this.runs.add(run);
    live.stepped(run, step);
    this.count ??= window.setTimeout(() => {
      this.count = undefined;
      for (const one of this.runs) void this.client.invalidateQueries({ queryKey: ["run", one] });
      this.runs.clear();
    }, COUNT_MS);
    this.soon();
  }

  private soon(): void {
    this.gather ??= window.setTimeout(() => this.flush(), GATHER_MS);
  }

  /** What came is put into what the page has; only what cannot be put there is asked for again. */
  private flush(): void {
    this.gather = undefined;
    const { rows, steps, stale } = this;
    this.rows = new Map();
    this.steps = new Map();
    this.stale = new Map();
    if (rows.size) this.client.setQueryData<Device[]>(["devices"], (now) => now && withRows(now, rows));
    for (const [run, fresh] of steps)
      this.client.setQueryData<RunStep[]>(["steps", run], (now) => now && withSteps(now, fresh));
    for (const key of stale.values()) void this.client.invalidateQueries({ queryKey: key });
  }
}
