import type { QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { toast } from "sonner";
import { live } from "../lib/live";

/** Kinds of events, and which queries each makes stale. */
const STALE: Record<string, (data: Record<string, unknown>) => unknown[][]> = {
  device: (d) => [["devices"], ["device", d.device], ["free"]],
  devices: () => [["devices"], ["device"], ["overview"], ["changes"]],
  lines: () => [["overview"], ["ports"], ["console-logs"]],
  watch: () => [["watch-mode"]],
  run: (d) => [["runs"], ["run", d.run], ["plan-made", d.run], ...(d.state === "running" ? [] : [["overview"], ["devices"], ["device"]])],
  step: (d) => [["run", d.run]],
  backup: () => [["backups"], ["devices"], ["device"]],
  journal: () => [["journal"]],
};
const GATHER_MS = 150;

/** Follows the server's events; a browser that was away gets what it missed (Last-Event-ID). */
export function useServerEvents(client: QueryClient, signedIn: boolean): void {
  useEffect(() => {
    if (!signedIn) return;
    const stale = new Map<string, unknown[]>();
    let timer: number | undefined;
    const flush = () => {
      timer = undefined;
      for (const key of stale.values()) void client.invalidateQueries({ queryKey: key });
      stale.clear();
    };
    const source = new EventSource("/api/events");
    for (const [kind, keys] of Object.entries(STALE)) {
      source.addEventListener(kind, (event) => {
        for (const key of keys(JSON.parse((event as MessageEvent).data))) stale.set(JSON.stringify(key), key);
        timer ??= window.setTimeout(flush, GATHER_MS);
      });
    }
    source.addEventListener("sighting", (event) => live.sighted(JSON.parse((event as MessageEvent).data)));
    source.addEventListener("progress", (event) => live.progressed(JSON.parse((event as MessageEvent).data)));
    source.addEventListener("planning", (event) => live.planned(JSON.parse((event as MessageEvent).data)));
    source.addEventListener("notice", (event) => toast.warning(JSON.parse((event as MessageEvent).data).message));
    source.addEventListener("devices", () => live.recorded());
    source.addEventListener("points", (event) => live.pointed(JSON.parse((event as MessageEvent).data)));
    source.addEventListener("open", () => live.connected(true));
    source.addEventListener("error", () => live.connected(false));
    return () => {
      source.close();
      window.clearTimeout(timer);
    };
  }, [client, signedIn]);
}
