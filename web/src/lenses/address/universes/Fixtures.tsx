import { useState } from "react";
import { api, asProblem, got } from "../../../api/client";
import { useChange } from "../../../api/work";
import { select } from "../../../lib/place";
import { type Fixture, settled, span } from "../../../lib/universes";
import { Choice, Input, Trouble } from "../../../ui/parts";

type Decided = { universe?: number | null; start?: number | null; personality?: string; shares?: string };

/** Fixtures with where they listen; decided by hand, written by a plan. */
export function Fixtures({ rows }: { rows: Fixture[] }) {
  const inOrder = [...rows].sort((a, b) => (a.universe ?? 1e6) - (b.universe ?? 1e6) || a.start - b.start || a.name.localeCompare(b.name, undefined, { numeric: true }));
  return (
    <table className="w-full text-[13px]" aria-label="Fixtures">
      <thead>
        <tr className="text-left text-[12px] text-soft">
          <th className="pr-2 font-normal">Fixture</th>
          <th className="pr-2 font-normal">Universe</th>
          <th className="pr-2 font-normal">Start</th>
          <th className="pr-2 font-normal">Personality</th>
          <th className="font-normal" title="Those with the same word may have the same slots">
            Shares
          </th>
        </tr>
      </thead>
      <tbody>
        {inOrder.map((one) => (
          <Row key={`${one.device} ${one.version}`} one={one} />
        ))}
      </tbody>
    </table>
  );
}

function Row({ one }: { one: Fixture }) {
  const decide = useChange((values: Decided) => got(api.POST("/api/universes/decide", { body: { assignments: [{ device: one.device, version: one.version, ...values }] } })));
  const problem = decide.error ? asProblem(decide.error) : null;
  const number = (text: string) => (text.trim() === "" ? null : Number(text));
  return (
    <>
      <tr className="border-t border-weave">
        <td className="max-w-36 truncate py-1 pr-2">
          <button type="button" className="block max-w-full truncate hover:underline" onClick={() => select(one.device, "only")}>
            {one.name}
          </button>
          <span className={`block text-[12px] ${settled(one) ? "text-soft" : "text-weld"}`}>{now(one)}</span>
        </td>
        <td className="pr-2">
          <Number_ label={`Universe of ${one.name}`} value={one.universe} set={(text) => decide.mutate({ universe: number(text) })} max={32767} min={0} />
        </td>
        <td className="pr-2 whitespace-nowrap">
          <Number_ label={`Start address of ${one.name}`} value={one.start || null} set={(text) => decide.mutate({ start: number(text) })} max={512} min={1} off={!one.can} />
          <span className="ml-1 font-mono text-[12px] text-soft">{one.slots > 1 && one.start ? `to ${one.last}` : ""}</span>
        </td>
        <td className="pr-2">
          {one.personalities.length > 0 ? (
            <Choice aria-label={`Personality of ${one.name}`} value={one.personality} onChange={(event) => decide.mutate({ personality: event.target.value })} className="w-28 !py-0 !text-[12.5px]">
              {!one.personality && <option value="">as it comes</option>}
              {one.personalities.map((p) => (
                <option key={p.value} value={p.value}>
                  {p.called}
                  {p.slots ? ` · ${p.slots}` : ""}
                </option>
              ))}
            </Choice>
          ) : (
            <span className="text-soft">{one.slots ? (one.slots === 1 ? "1 slot" : `${one.slots} slots`) : "not known"}</span>
          )}
        </td>
        <td className="pr-2">
          <Text label={`${one.name} shares slots with`} value={one.shares} set={(shares) => decide.mutate({ shares })} />
        </td>
      </tr>
      {problem && (
        <tr>
          <td colSpan={5} className="pb-1.5">
            <Trouble problem={problem} />
          </td>
        </tr>
      )}
    </>
  );
}

const now = (one: Fixture): string => {
  if (!one.fitted) return "not there yet";
  if (settled(one)) return "as planned";
  return `now ${one.heard === null ? "" : `${one.heard} · `}${span(one.at, one.takes)}`;
};

interface NumberProps {
  label: string;
  value: number | null;
  set: (text: string) => void;
  min: number;
  max: number;
  off?: boolean;
}

function Number_({ label, value, set, min, max, off }: NumberProps) {
  const [text, setText] = useState(value === null ? "" : String(value));
  const good = text.trim() === "" || (/^\d+$/.test(text.trim()) && Number(text) >= min && Number(text) <= max);
  const decide = () => good && text.trim() !== (value === null ? "" : String(value)) && set(text);
  return (
    <Input
      aria-label={label}
      aria-invalid={!good}
      title={good ? undefined : `A number from ${min} to ${max}`}
      inputMode="numeric"
      disabled={off}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={decide}
      onKeyDown={(event) => {
        const step = { ArrowUp: 1, ArrowDown: -1 }[event.key];
        if (event.key === "Enter") decide();
        if (!step || !good) return;
        event.preventDefault();
        setText(String(Math.min(max, Math.max(min, Number(text || min) + step))));
      }}
      className={`w-12 !px-1 !py-0 font-mono !text-[12.5px] ${good ? "" : "!border-madder"}`}
    />
  );
}

function Text({ label, value, set }: { label: string; value: string; set: (text: string) => void }) {
  const [text, setText] = useState(value);
  const decide = () => text.trim() !== value && set(text.trim());
  return <Input aria-label={label} maxLength={40} value={text} onChange={(event) => setText(event.target.value)} onBlur={decide} onKeyDown={(event) => event.key === "Enter" && decide()} className="w-16 !px-1 !py-0 !text-[12.5px]" />;
}
