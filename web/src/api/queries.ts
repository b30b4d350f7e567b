import { queryOptions } from "@tanstack/react-query";
import { api, type Backup, type Device, got, type RunStep, type Schemas } from "./client";

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: () => got(api.GET("/api/session")),
  retry: false,
  staleTime: Infinity,
});
export const overviewQuery = queryOptions({ queryKey: ["overview"], queryFn: () => got(api.GET("/api/overview")) });
export const devicesQuery = queryOptions({
  queryKey: ["devices"],
  queryFn: async () => (await got(api.GET("/api/devices"))).devices,
});
export const deviceQuery = (id: string) =>
  queryOptions({
    queryKey: ["device", id],
    queryFn: () => got(api.GET("/api/devices/{word}", { params: { path: { word: id } } })),
  });
/** Logins for all of a model or the whole installation; their codes are never told. */
export const loginsQuery = queryOptions({
  queryKey: ["logins"],
  queryFn: async () => (await got(api.GET("/api/logins"))).logins,
});
/** What is recorded of points, and its changes of the last seconds. */
export const monitorQuery = (seconds: number) =>
  queryOptions({
    queryKey: ["monitor", seconds],
    queryFn: () => got(api.GET("/api/monitor", { params: { query: { seconds } } })),
  });
export const profilesQuery = queryOptions({
  queryKey: ["profiles"],
  queryFn: () => got(api.GET("/api/profiles")),
  staleTime: Infinity,
});
export const runsQuery = queryOptions({ queryKey: ["runs"], queryFn: () => got(api.GET("/api/runs")) });
export const runQuery = (id: string) =>
  queryOptions({
    queryKey: ["run", id],
    queryFn: () => got(api.GET("/api/runs/{ident}", { params: { path: { ident: id }, query: { steps: false } } })),
  });
/** All steps of a run, in order; kept up by events. */
export const stepsQuery = (id: string) =>
  queryOptions({
    queryKey: ["steps", id],
    queryFn: async () => {
      const all: RunStep[] = [];
      let after: number | null = -1;
      while (after !== null) {
        const page: Schemas["RunSteps"] = await got(
          api.GET("/api/runs/{ident}/steps", { params: { path: { ident: id }, query: { after } } }),
        );
        all.push(...page.steps);
        after = page.next;
      }
      return all;
    },
  });
/** A plan by its id; asked again until it is made. */
export const planQuery = (id: string) =>
  queryOptions({
    queryKey: ["plan-made", id],
    queryFn: () => got(api.GET("/api/plans/{ident}", { params: { path: { ident: id } } })),
    enabled: !!id,
    gcTime: 0,
    refetchInterval: (query) => (!query.state.data || query.state.data.state === "making" ? 500 : false),
  });
export const backupsQuery = queryOptions({
  queryKey: ["backups"],
  queryFn: async () => {
    const all: Backup[] = [];
    let page: string | undefined;
    do {
      const answer = await got(api.GET("/api/backups", { params: { query: page ? { page } : {} } }));
      all.push(...answer.backups);
      page = new URL(answer.next ?? "/", location.origin).searchParams.get("page") ?? undefined;
    } while (page);
    return all;
  },
});
export const compareQuery = (first: string, second: string) =>
  queryOptions({
    queryKey: ["compare", first, second],
    queryFn: () => got(api.GET("/api/backups/compare", { params: { query: { first, second } } })),
  });
export const journalQuery = (device: string) =>
  queryOptions({
    queryKey: ["journal", device],
    queryFn: () => got(api.GET("/api/journal", { params: { query: device ? { device } : {} } })),
  });
export const troublesQuery = queryOptions({ queryKey: ["place-troubles"], queryFn: async () => (await got(api.GET("/api/places/troubles"))).troubles });
/** Templates, each with where it was applied and whether it still holds there. */
export const templatesQuery = queryOptions({ queryKey: ["templates"], queryFn: async () => (await got(api.GET("/api/templates"))).templates });
/** Who listens to which universe of a network, and which ports send it. */
export const universesQuery = (line: string) =>
  queryOptions({
    queryKey: ["universes", line],
    queryFn: async () => got(api.GET("/api/lines/{ident}/universes", { params: { path: { ident: line } } })),
  });
/** Giving addresses on a line; null where nothing is given. Events tell; what was missed is asked for. */
export const givingQuery = (line: string) =>
  queryOptions({
    queryKey: ["giving", line],
    queryFn: async () => (await got(api.GET("/api/lines/{ident}/giving", { params: { path: { ident: line } } }))).giving,
    refetchInterval: (query) => (query.state.data ? 5000 : false),
  });
/** What is said to a device again and again. While it is, what the device tells of it is asked for each second. */
export const feedQuery = (id: string) =>
  queryOptions({
    queryKey: ["feed", id],
    queryFn: async () => (await got(api.GET("/api/devices/{word}/feed", { params: { path: { word: id } } }))).feed,
    refetchInterval: (query) => (query.state.data && query.state.data.phase !== "over" ? 1000 : false),
  });
/** Second addresses of this computer on the interface of a line. */
export const borrowedQuery = (line: string) =>
  queryOptions({
    queryKey: ["borrowed", line],
    queryFn: async () => (await got(api.GET("/api/lines/{ident}/second-address", { params: { path: { ident: line } } }))).borrowed,
  });
export const freeQuery = (line: string) =>
  queryOptions({
    queryKey: ["free", line],
    queryFn: async () =>
      (await got(api.GET("/api/lines/{ident}/free", { params: { path: { ident: line } } }))).addresses,
  });

export const firmwareQuery = queryOptions({ queryKey: ["firmware"], queryFn: () => got(api.GET("/api/firmware")) });
/** It changes with what the device told last, too. */
export const firmwareOfQuery = (device: Pick<Device, "id" | "profile" | "read" | "firmware" | "firmware_trouble" | "mode">) =>
  queryOptions({
    queryKey: ["firmware", device.id, device.profile, device.read, device.firmware, device.firmware_trouble, device.mode],
    queryFn: () => got(api.GET("/api/devices/{word}/firmware", { params: { path: { word: device.id } } })),
    enabled: !!device.id,
  });

export const tokensQuery = queryOptions({ queryKey: ["tokens"], queryFn: () => got(api.GET("/api/session/tokens")) });
export const peopleQuery = queryOptions({ queryKey: ["people"], queryFn: () => got(api.GET("/api/people")) });
export const papersQuery = queryOptions({
  queryKey: ["papers"],
  queryFn: async () => (await got(api.GET("/api/papers"))).papers,
  refetchInterval: (query) => (query.state.data?.some((paper) => paper.state === "making") ? 1500 : false),
});
export const portsQuery = queryOptions({ queryKey: ["ports"], queryFn: () => got(api.GET("/api/ports")) });
export const hereQuery = queryOptions({ queryKey: ["here"], queryFn: () => got(api.GET("/api/here")) });
export const watchModeQuery = queryOptions({ queryKey: ["watch-mode"], queryFn: () => got(api.GET("/api/watch-mode")) });
export const changesQuery = queryOptions({ queryKey: ["changes"], queryFn: () => got(api.GET("/api/changes")) });
export const consoleLogsQuery = (device: string) =>
  queryOptions({
    queryKey: ["console-logs", device],
    queryFn: () => got(api.GET("/api/consoles", { params: { query: { device } } })),
  });
export const consoleLogQuery = (id: string) =>
  queryOptions({
    queryKey: ["console-log", id],
    queryFn: () => got(api.GET("/api/consoles/{ident}/log", { params: { path: { ident: id } } })),
  });
