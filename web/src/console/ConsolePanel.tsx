import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, asProblem, type Device, got, type Problem, type Schemas } from "../api/client";
import { deviceQuery } from "../api/queries";
import { place } from "../lib/place";
import { useStore } from "../lib/store";
import { Button } from "../ui/Button";
import { Over } from "../ui/Over";
import { Choice, Input, Labelled, Trouble } from "../ui/parts";
import { Terminal } from "./Terminal";

const FRAMINGS = ["8N1", "8E1", "8O1", "8N2", "7E1", "7O1", "7N2"];
const SPEEDS = [1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200, 230400];

interface Props {
  devices: Device[];
  overview: Schemas["Overview"];
  close: () => void;
}

/** A console: first how it is to be opened, then the terminal until it is closed. */
export default function ConsolePanel({ devices, overview, close }: Props) {
  const to = useStore(place, (p) => p.console);
  const device = devices.find((d) => d.id === to?.device);
  const line = overview.lines.find((l) => l.id === (to?.line ?? device?.addresses[0]?.line_id));
  const whole = useQuery({ ...deviceQuery(device?.id ?? ""), enabled: !!device });
  const [session, setSession] = useState<Schemas["Console"]>();
  const [problem, setProblem] = useState<Problem>();
  const [busy, setBusy] = useState(false);
  const gone = useRef(false);
  useEffect(() => {
    gone.current = false;
    return () => {
      gone.current = true;
    };
  }, []);
  const kind = line?.kind === "serial" ? "serial" : (whole.data?.console?.kind ?? "");
  const framing = whole.data?.console?.framing || `8${line?.parity ?? "N"}1`;
  const phrases = whole.data?.console?.phrases ?? [];

  async function open(event: React.FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = Object.fromEntries(new FormData(event.currentTarget)) as Record<string, string>;
    setBusy(true);
    setProblem(undefined);
    try {
      setSession(
        await opened(
          api.POST("/api/consoles", {
            body: {
              device: device?.id ?? "",
              line: device ? "" : (line?.id ?? ""),
              ...(form.speed ? { speed: Number(form.speed), framing: form.framing, flow: form.flow as "none" | "hardware" | "software" } : {}),
              user: form.user ?? "",
              password: form.password ?? "",
              forget_key: form.forget_key === "on",
            },
          }),
        ),
      );
    } catch (error) {
      setProblem(asProblem(error));
    } finally {
      setBusy(false);
    }
  }

  /** One that comes after the panel was closed is closed at once: it would hold the line for nobody. */
  async function opened(asked: Parameters<typeof got<Schemas["Console"]>>[0]): Promise<Schemas["Console"]> {
    const made = await got(asked);
    if (gone.current) void got(api.DELETE("/api/consoles/{ident}", { params: { path: { ident: made.id } } })).catch(() => undefined);
    return made;
  }

  const title = `Console of ${device?.name ?? line?.name ?? "nothing"}`;
  const end = () => {
    if (session) void got(api.DELETE("/api/consoles/{ident}", { params: { path: { ident: session.id } } })).catch(() => undefined);
    close();
  };
  if (session)
    return (
      <Over wide held title={title} note={session.settings + (session.kind === "serial" ? ". Runs and others wait for the line until you close it." : "")} close={end}>
        <Terminal session={session} phrases={phrases} close={end} />
      </Over>
    );
  return (
    <Over title={title} note="What is said is kept as a log with the device; what is typed as a password is not." close={close}>
      <form onSubmit={open} className="flex flex-col gap-3 px-4 py-3">
        {kind === "serial" && line && (
          <div className="flex gap-2">
            <Labelled label="Speed, baud">
              <Choice name="speed" defaultValue={device?.addresses[0]?.speed || line.speed}>
                {SPEEDS.map((speed) => (
                  <option key={speed}>{speed}</option>
                ))}
              </Choice>
            </Labelled>
            <Labelled label="Data, parity, stop">
              <Choice name="framing" key={framing} defaultValue={framing}>
                {[...new Set([framing, ...FRAMINGS])].map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </Choice>
            </Labelled>
            <Labelled label="Flow control">
              <Choice name="flow" key={whole.data?.console?.flow} defaultValue={whole.data?.console?.flow || "none"}>
                <option value="none">none</option>
                <option value="hardware">RTS and CTS</option>
                <option value="software">XON and XOFF</option>
              </Choice>
            </Labelled>
          </div>
        )}
        {kind === "ssh" && (
          <div className="flex gap-2">
            <Labelled label="User, empty for the known one">
              <Input name="user" autoComplete="off" />
            </Labelled>
            <Labelled label="Password">
              <Input name="password" type="password" autoComplete="off" />
            </Labelled>
          </div>
        )}
        {problem && <Trouble problem={problem} />}
        {problem?.code === "wrong-device" && (
          <label className="flex items-center gap-2 text-[13px]">
            <input type="checkbox" name="forget_key" /> I know why: forget the old host key
          </label>
        )}
        {!kind && <p className="text-[13px] text-soft">There is no console to that: consoles go to serial lines, Telnet and SSH servers.</p>}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button look="strong" type="submit" disabled={!kind || busy}>
            {busy ? "Opening …" : `Open the ${kind || ""} console`}
          </Button>
        </div>
      </form>
    </Over>
  );
}
