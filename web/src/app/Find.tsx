import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState, type ReactNode } from "react";
import { useNavigate } from "react-router";
import { api, type Device, got, type Schemas } from "../api/client";
import { type Action, useActions } from "./actions";
import { areasNamed, devicesNamed, linesNamed } from "../lib/find";
import { stateOf } from "../lib/knots";
import { openLine, openPanel, place, select } from "../lib/place";
import { kindOf, plural } from "../lib/words";
import { Mark } from "../ui/Mark";
import { Over } from "../ui/Over";

interface Hit {
  key: string;
  group: string;
  row: ReactNode;
  go: () => void;
}

const EACH = 12;
const REST_MS = 250;
const close = () => openPanel("");

/** Anything by its name: devices, areas, lines, what can be done, settings over the whole installation. */
export function Find({ devices, overview, lead }: { devices: Device[]; overview: Schemas["Overview"]; lead: boolean }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const actions = useActions(devices, lead);
  const asked = useRested(text.trim());
  const settings = useQuery({
    queryKey: ["find", asked],
    queryFn: () => got(api.GET("/api/find", { params: { query: { q: asked } } })),
    enabled: asked.length > 1,
    placeholderData: keepPreviousData,
    staleTime: 5000,
  });
  const navigate = useNavigate();
  const hits = useMemo(
    () => [...deviceHits(devices, text), ...areaHits(devices, text), ...lineHits(overview.lines, text), ...actionHits(actions, text), ...(asked.length > 1 ? settingHits(settings.data, (path) => void navigate(path)) : [])],
    [devices, overview.lines, actions, text, asked, settings.data, navigate],
  );
  const count = asked.length > 1 ? (settings.data?.count ?? 0) : 0;
  const go = (hit: Hit | undefined) => {
    if (!hit) return;
    close();
    hit.go();
  };
  const step = (by: number) => {
    const next = Math.max(0, Math.min(at + by, hits.length - 1));
    setAt(next);
    document.getElementById(`hit-${next}`)?.scrollIntoView({ block: "nearest" });
  };
  return (
    <Over title="Find" close={close}>
      <input
        autoFocus
        role="combobox"
        aria-expanded
        aria-controls="hits"
        aria-activedescendant={hits.length ? `hit-${at}` : undefined}
        aria-label="Device, address, serial number, area, line, action, setting or value"
        placeholder="Device, address, area, line, action, setting: pulse time > 1"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown" || event.key === "ArrowUp") {
            event.preventDefault();
            step(event.key === "ArrowDown" ? 1 : -1);
          }
          if (event.key === "Enter") go(hits[at]);
        }}
        className="border-b border-weave bg-cloth px-4 py-2.5 text-[15px] outline-none"
      />
      <ul id="hits" role="listbox" aria-label="What was found" className="overflow-auto py-1">
        {hits.map((hit, index) => (
          <li key={hit.key} role="presentation">
            {hits[index - 1]?.group !== hit.group && <p className="px-4 pt-1.5 text-[11.5px] font-semibold text-soft">{hit.group}</p>}
            <button
              id={`hit-${index}`}
              type="button"
              role="option"
              aria-selected={index === at}
              tabIndex={-1}
              onClick={() => go(hit)}
              className={`flex w-full items-center gap-2 px-4 py-1 text-left text-[13px] ${index === at ? "bg-indigo-wash" : "hover:bg-weave/60"}`}
            >
              {hit.row}
            </button>
          </li>
        ))}
        {!hits.length && <li className="px-4 py-3 text-[13px] text-soft">{settings.isFetching ? "Looking …" : "Nothing here is called that."}</li>}
        {count > EACH && (
          <li className="px-4 py-2">
            <button type="button" className="text-[12.5px] text-indigo hover:underline" onClick={() => (close(), selectAll(settings.data!))}>
              Select all devices with these {count} settings
            </button>
          </li>
        )}
      </ul>
    </Over>
  );
}

/** What was typed, once the hands rest: settings are looked for over the whole installation. */
function useRested(text: string): string {
  const [rested, setRested] = useState(text);
  useEffect(() => {
    const timer = window.setTimeout(() => setRested(text), REST_MS);
    return () => window.clearTimeout(timer);
  }, [text]);
  return rested;
}

function deviceHits(devices: Device[], text: string): Hit[] {
  return devicesNamed(devices, text)
    .slice(0, EACH)
    .map((device) => {
      const { shape, tone, word } = stateOf(device);
      return {
        key: device.id,
        group: "Devices",
        go: () => {
          select(device.id, "only");
          requestAnimationFrame(() => document.getElementById(`knot-${device.id}`)?.scrollIntoView({ block: "center", inline: "nearest" }));
        },
        row: (
          <>
            <Mark shape={shape} tone={tone} />
            <span className="flex-1 truncate">{device.name}</span>
            <span className="font-mono text-[12px] text-soft">{device.serial}</span>
            <span className="max-w-44 truncate text-right font-mono text-[12px]">{device.addresses[0]?.address ?? "–"}</span>
            <span className="w-16 text-[12px] text-soft">{word}</span>
          </>
        ),
      };
    });
}

function areaHits(devices: Device[], text: string): Hit[] {
  return areasNamed(devices, text)
    .slice(0, EACH)
    .map(({ area, those }) => ({
      key: `area ${area}`,
      group: "Areas",
      go: () => place.set({ selected: new Set(those.map((d) => d.id)), cursor: those[0].id, anchor: those[0].id, base: new Set() }),
      row: (
        <>
          <span className="flex-1 truncate">{area}</span>
          <span className="text-[12px] text-soft">select {plural(those.length, "device")}</span>
        </>
      ),
    }));
}

function lineHits(lines: Schemas["Overview"]["lines"], text: string): Hit[] {
  return linesNamed(lines, text)
    .slice(0, EACH)
    .map((line) => ({
      key: `line ${line.id}`,
      group: "Lines",
      go: () => openLine(line.id),
      row: (
        <>
          <span className="flex-1 truncate">{line.name}</span>
          <span className="text-[12px] text-soft">{kindOf(line)}</span>
        </>
      ),
    }));
}

function actionHits(actions: Action[], text: string): Hit[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  return actions
    .filter((action) => words.length && words.every((word) => action.name.toLowerCase().includes(word)))
    .map((action) => ({ key: `act ${action.name}`, group: "What can be done", go: action.act, row: <span>{action.name}</span> }));
}

function settingHits(found: Schemas["Found"] | undefined, to: (path: string) => void): Hit[] {
  return (found?.settings ?? []).slice(0, EACH).map((one) => ({
    key: `${one.device} ${one.path}`,
    group: "Settings",
    go: () => {
      select(one.device, "only");
      place.set({ setting: one.path });
      to("/configure");
    },
    row: (
      <>
        <span className="flex-1 truncate" title={one.path}>
          {one.label} <span className="text-soft">· {one.name}</span>
        </span>
        <span className="max-w-44 truncate font-mono text-[12px]">{one.value || "–"}</span>
      </>
    ),
  }));
}

function selectAll(found: Schemas["Found"]): void {
  const ids = [...new Set(found.settings.map((one) => one.device))];
  place.set({ selected: new Set(ids), cursor: ids[0] ?? "", anchor: ids[0] ?? "", base: new Set() });
}
