import clsx from "clsx";
import { Check, Copy } from "lucide-react";
import { type InputHTMLAttributes, type ReactNode, type SelectHTMLAttributes, useState } from "react";
import type { Problem as ProblemKind } from "../api/client";
import { ago, exact } from "../lib/words";
import { Button } from "./Button";

/** Addresses, serial numbers, values: one width for all characters, copied by a click. */
export function Mono({ children, copy = true, className }: { children: string; copy?: boolean; className?: string }) {
  const [done, setDone] = useState(false);
  if (!copy) return <span className={clsx("font-mono text-[12.5px]", className)}>{children}</span>;
  return (
    <button
      type="button"
      title="Copy"
      aria-label={`Copy ${children}`}
      className={clsx("group inline-flex items-center gap-1 rounded-[2px] text-left font-mono text-[12.5px] hover:bg-weave", className)}
      onClick={() => {
        void navigator.clipboard?.writeText(children);
        setDone(true);
        window.setTimeout(() => setDone(false), 900);
      }}
    >
      {children}
      {done ? <Check size={11} /> : <Copy size={11} className="opacity-0 group-hover:opacity-60" />}
    </button>
  );
}

export function When({ at, none = "never" }: { at: string | null | undefined; none?: string }) {
  return <span title={exact(at)}>{at ? ago(at) : none}</span>;
}

/** An error as a person needs it: what happened, what to try. */
export function Trouble({ problem, again }: { problem: ProblemKind | { message: string; hint: string }; again?: () => void }) {
  return (
    <div role="alert" className="rounded-[3px] border border-madder/50 bg-madder-wash px-3 py-2 text-[13px]">
      <p className="font-semibold text-madder">{problem.message}</p>
      {problem.hint && <p className="mt-0.5 text-ink">{problem.hint}</p>}
      {again && (
        <Button className="mt-2" onClick={again}>
          Try again
        </Button>
      )}
    </div>
  );
}

/** An empty place says what would be here and offers the step that fills it. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="rounded-[3px] border border-dashed border-warp px-4 py-5 text-center text-[13px] text-soft">
      <p className="font-semibold text-ink">{title}</p>
      {children && <div className="mt-1.5 flex flex-col items-center gap-2">{children}</div>}
    </div>
  );
}

export function Waiting({ children }: { children: ReactNode }) {
  return (
    <p role="status" className="flex items-center gap-2 px-1 py-2 text-[13px] text-soft">
      <span className="inline-block size-2 animate-pulse rounded-full bg-indigo" />
      {children}
    </p>
  );
}

export function Bar({ share, label }: { share: number; label: string }) {
  const percent = Math.round(share * 100);
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuenow={percent}
      aria-valuemin={0}
      aria-valuemax={100}
      className="h-1.5 w-full overflow-hidden rounded-full bg-weave"
    >
      {/* Moved, not made wider: that would lay the page out anew. And at once: gliding, a few bars of a sweep kept a third of a processor busy. */}
      <div className="h-full origin-left bg-indigo" style={{ transform: `scaleX(${percent / 100})` }} />
    </div>
  );
}

const FIELD = "rounded-[3px] border border-warp bg-cloth px-2 py-1 text-[13px] text-ink placeholder:text-soft/80";

export function Input({ className, ...rest }: InputHTMLAttributes<HTMLInputElement>) {
  return <input {...rest} className={clsx(FIELD, className)} />;
}

export function Choice({ className, ...rest }: SelectHTMLAttributes<HTMLSelectElement>) {
  return <select {...rest} className={clsx(FIELD, "pr-6", className)} />;
}

/** One option for each thing that has a name. */
export function Options({ of }: { of: { id: string | number; name: string }[] }) {
  return of.map((one) => (
    <option key={one.id} value={one.id}>
      {one.name}
    </option>
  ));
}

export function Labelled({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="flex flex-col gap-0.5 text-[12px] text-soft">
      {label}
      {children}
    </label>
  );
}

export function Heading({ children, aside }: { children: ReactNode; aside?: ReactNode }) {
  return (
    <div className="mt-4 mb-1.5 flex items-baseline justify-between gap-2 border-b border-weave pb-1 first:mt-0">
      <h3 className="text-[13px] font-semibold tracking-wide text-ink">{children}</h3>
      {aside && <div className="-mr-1 text-right text-[12px] text-soft">{aside}</div>}
    </div>
  );
}

export function Tag({ tone, children }: { tone: "weld" | "madder" | "woad" | "indigo"; children: ReactNode }) {
  const tones = {
    weld: "bg-weld-wash text-weld",
    madder: "bg-madder-wash text-madder",
    woad: "bg-woad-wash text-woad",
    indigo: "bg-indigo-wash text-indigo",
  };
  return <span className={clsx("rounded-[2px] px-1.5 py-px text-[11.5px] font-medium whitespace-nowrap", tones[tone])}>{children}</span>;
}
