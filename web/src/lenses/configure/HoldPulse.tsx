import { Ellipsis } from "lucide-react";
import { Popover } from "radix-ui";
import { type FormEvent, useEffect, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { tellProblem } from "../../api/work";
import { Button } from "../../ui/Button";
import { Input } from "../../ui/parts";
import type { Point } from "./PointNow";

const LEASE_S = 3; // a page that is gone without a word lets go after that
const AGAIN_MS = 600;

interface Props {
  device: string;
  point: Point;
  /** The state that it is held in; it is let go to the other one. */
  to: string;
  disabled: boolean;
}

/** What is driven for a while only: as long as the button is down, or for a pulse. The server lets go, whatever becomes of this page. */
export function HoldPulse({ device, point, to, disabled }: Props) {
  const path = { params: { path: { word: device } } };
  const hold = (seconds: number) => got(api.POST("/api/devices/{word}/drive", { ...path, body: { point: point.short, state: to, seconds } }));
  const letGo = () => got(api.POST("/api/devices/{word}/let-go", { ...path, body: { point: point.short }, keepalive: true }));
  const [text, setText] = useState("0.5");
  const word = point.words[to] ?? to;
  const pulse = (event: FormEvent) => {
    event.preventDefault();
    void hold(Number(text)).catch(tellProblem);
  };
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button look="bare" aria-label={`Hold or pulse ${point.label}`} title="Hold or pulse" disabled={disabled} className="!px-0.5 !py-0">
          <Ellipsis size={14} />
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={4} className="z-40 w-64 rounded-[4px] border border-warp bg-cloth p-3 text-[12.5px] shadow-xl">
          <p className="mb-2 font-medium">{point.label}</p>
          {point.disturbs.length > 0 && <p className="mb-2 text-madder">It disturbs: {point.disturbs.join(", ")}.</p>}
          <Held label={`${word} while pressed`} hold={() => hold(LEASE_S)} letGo={letGo} />
          <form onSubmit={pulse} className="mt-2 flex items-center gap-1.5">
            <Button type="submit" className="!py-0.5">
              {word} for
            </Button>
            <Input type="number" aria-label="Seconds of the pulse" min={0.05} max={60} step={0.05} required value={text} onChange={(event) => setText(event.target.value)} className="w-16 !py-0" /> s
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Down is held, up is let go; so for the space bar. */
function Held({ label, hold, letGo }: { label: string; hold: () => Promise<unknown>; letGo: () => Promise<unknown> }) {
  const [down, setDown] = useState(false);
  const end = useRef<() => void>(() => undefined);
  const press = () => {
    if (down) return;
    setDown(true);
    let over = false;
    // What is refused once is not asked for again and again; what comes after it was let go says nothing new.
    const asked = () =>
      hold().catch((error) => {
        if (!over) tellProblem(error);
        end.current();
      });
    let last: Promise<unknown> = asked();
    const timer = window.setInterval(() => (last = asked()), AGAIN_MS);
    end.current = () => {
      over = true;
      end.current = () => undefined;
      setDown(false);
      window.clearInterval(timer);
      // At once; and once more when what was asked last has come through, which might take hold of it anew.
      void letGo().catch(tellProblem);
      void last.then(letGo).catch(() => undefined);
    };
  };
  const release = () => end.current();
  useEffect(() => {
    window.addEventListener("blur", release);
    window.addEventListener("pagehide", release);
    return () => {
      window.removeEventListener("blur", release);
      window.removeEventListener("pagehide", release);
      release();
    };
  }, []);
  return (
    <Button
      look={down ? "strong" : "plain"}
      aria-pressed={down}
      className="w-full touch-none justify-center py-2 select-none"
      onPointerDown={(event) => (event.currentTarget.setPointerCapture(event.pointerId), press())}
      onPointerUp={release}
      onPointerCancel={release}
      onBlur={release}
      onContextMenu={(event) => event.preventDefault()}
      onKeyDown={(event) => (event.key === " " || event.key === "Enter") && !event.repeat && press()}
      onKeyUp={release}
    >
      {down ? `${label} …` : label}
    </Button>
  );
}
