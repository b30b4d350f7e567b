import { queryOptions } from "@tanstack/react-query";
import { api, got } from "../../api/client";

const AGAIN_MS = 20_000; // asking keeps the devices' states coming for a while

/** What reaches each display, by what is known; events make it stale. */
export const pathsQuery = queryOptions({
  queryKey: ["routing", "paths"],
  queryFn: () => got(api.GET("/api/routing/paths")),
  refetchInterval: AGAIN_MS,
});
export const cablesQuery = queryOptions({ queryKey: ["routing", "cables"], queryFn: async () => (await got(api.GET("/api/routing/cables"))).cables });
export const jacksQuery = queryOptions({ queryKey: ["routing", "jacks"], queryFn: async () => (await got(api.GET("/api/routing/jacks"))).devices });
export const locksQuery = queryOptions({ queryKey: ["routing", "locks"], queryFn: async () => (await got(api.GET("/api/routing/locks"))).locks });
export const presetsQuery = queryOptions({ queryKey: ["routing", "presets"], queryFn: () => got(api.GET("/api/routing/presets")) });
export const presetQuery = (id: string) =>
  queryOptions({ queryKey: ["routing", "preset", id], queryFn: () => got(api.GET("/api/routing/presets/{ident}", { params: { path: { ident: id } } })), enabled: !!id });
export const gridsQuery = (id: string) =>
  queryOptions({ queryKey: ["routing", "grids", id], queryFn: async () => (await got(api.GET("/api/routing/grids/{word}", { params: { path: { word: id } } }))).grids });
export const edidsQuery = queryOptions({ queryKey: ["routing", "edids"], queryFn: async () => (await got(api.GET("/api/routing/edids"))).edids });
export const edidsAtQuery = (id: string) =>
  queryOptions({ queryKey: ["routing", "edids-at", id], queryFn: async () => (await got(api.GET("/api/routing/edids/at/{word}", { params: { path: { word: id } } }))).inputs });
