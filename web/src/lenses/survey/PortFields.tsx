import { useQuery } from "@tanstack/react-query";
import { useId } from "react";
import { portsQuery } from "../../api/queries";
import { Choice, Input, Labelled } from "../../ui/parts";

const SPEEDS = [9600, 19200, 38400, 57600, 115200, 230400];

/** Form fields `path`, `parity` and `speed` of a serial line. */
export function PortFields({ now }: { now?: { path: string; parity: string; speed: number } }) {
  const ports = useQuery(portsQuery);
  const list = useId(); // two of these forms can be open
  const speeds = [...new Set([...SPEEDS, now?.speed ?? 9600])].sort((a, b) => a - b);
  return (
    <>
      <Labelled label="Port: one of this computer, a path, or rfc2217://HOST:PORT of a device server">
        <Input name="path" required list={list} placeholder="/dev/ttyUSB0" defaultValue={now?.path} className="font-mono" />
      </Labelled>
      <datalist id={list}>
        {ports.data?.map((port) => (
          <option key={port.path} value={port.path}>
            {[port.title, port.usb_serial && `USB ${port.usb_serial}`, port.place, port.line && `used by ${port.line}`, port.held && `held by ${port.held}`]
              .filter(Boolean)
              .join(", ")}
          </option>
        ))}
      </datalist>
      <Labelled label="Parity">
        <Choice name="parity" defaultValue={now?.parity ?? "N"}>
          <option value="N">none</option>
          <option value="E">even</option>
          <option value="O">odd</option>
        </Choice>
      </Labelled>
      <Labelled label="Usual speed, baud">
        <Choice name="speed" defaultValue={now?.speed ?? 9600}>
          {speeds.map((speed) => (
            <option key={speed}>{speed}</option>
          ))}
        </Choice>
      </Labelled>
    </>
  );
}
