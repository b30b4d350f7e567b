import clsx from "clsx";
import { CircleHelp, CircleUserRound, Moon, Search, Table2 } from "lucide-react";
import { NavLink, useNavigate } from "react-router";
import type { Device, Schemas } from "../api/client";
import { LENSES, leftToDo } from "../lenses/registry";
import { calls } from "../lib/calls";
import { live } from "../lib/live";
import { gliding } from "../loom/glide";
import { nextDensity, openPanel, place } from "../lib/place";
import { useNarrow } from "../lib/narrow";
import { useStore } from "../lib/store";
import { Button } from "../ui/Button";
import { toggleTheme } from "./theme";

interface Props {
  person: Schemas["Person"];
  overview: Schemas["Overview"];
  devices: Device[];
}

export function Header({ person, overview, devices }: Props) {
  const narrow = useNarrow();
  const navigate = useNavigate();
  const connected = useStore(live, (l) => l.connected);
  const slow = useStore(calls, (c) => c.slow > 0);
  const said = !connected ? "Netloom: waiting for the server …" : slow ? "Netloom: the server is at it …" : "";
  const density = useStore(place, (p) => p.density);
  return (
    <header className={clsx("border-b border-weave bg-cloth", narrow ? "relative flex flex-col" : "flex items-stretch gap-4 pl-4")}>
      {narrow && said && <p className="pointer-events-none absolute inset-x-0 top-full z-30 bg-weld-wash leading-tight text-center text-[12px] text-weld">{said}</p>}
      <div className={clsx("flex-col justify-center leading-tight", narrow ? "hidden" : "flex w-[190px]")}>
        <span className="truncate text-[13.5px] font-semibold" title={overview.installation}>
          {overview.installation}
        </span>
        <span className="text-[11.5px] text-soft">{said || "Netloom"}</span>
      </div>
      <nav aria-label="Lenses" className={clsx("flex items-stretch", narrow ? "order-2 overflow-x-auto" : "flex-1")}>
        {LENSES.map((one, index) => {
          const left = leftToDo(devices, one);
          return (
            <NavLink
              key={one.id}
              to={`/${one.id}`}
              title={`${one.name}: key ${index + 1}`}
              className={({ isActive }) =>
                clsx(
                  "relative flex flex-1 flex-col justify-center border-b-[3px] px-2.5 py-1.5 leading-tight",
                  isActive ? "border-indigo text-indigo" : "border-transparent text-ink hover:bg-weave/50",
                )
              }
            >
              <span className="text-[13.5px] font-semibold whitespace-nowrap">
                <span className="mr-1.5 font-mono text-[11px] font-normal text-soft">{index + 1}</span>
                {one.name}
              </span>
              <span className="text-[11.5px] whitespace-nowrap text-soft">{one.uncounted ? "as it is now" : left ? `${left} to do` : "nothing to do"}</span>
            </NavLink>
          );
        })}
      </nav>
      <div className={clsx("flex items-center gap-0.5 pr-2", narrow && "order-1 justify-between px-3 py-1")}>
        {narrow && <span className="mr-auto truncate text-[14px] font-semibold">{overview.installation}</span>}
        <Button look="bare" title="Find (/)" aria-label="Find" onClick={() => openPanel("find")}>
          <Search size={15} />
        </Button>
        <Button
          look="bare"
          title="Loom or sheet (s)"
          aria-label="Loom or sheet"
          onClick={() => place.set((p) => ({ ...p, sheet: !p.sheet }))}
        >
          <Table2 size={15} />
        </Button>
        <Button look="bare" title={`Density of the loom: ${density} (z)`} aria-label="Density" onClick={() => gliding(nextDensity)}>
          <span className="font-mono text-[11px]">{density}</span>
        </Button>
        <Button look="bare" title="Light or dark (t)" aria-label="Light or dark" onClick={toggleTheme}>
          <Moon size={15} />
        </Button>
        <Button look="bare" title="Keys (?)" aria-label="Keys" onClick={() => openPanel("keys")}>
          <CircleHelp size={15} />
        </Button>
        <Button look="bare" title={`Signed in as ${person.username}, ${person.role}: password, tokens, people`} aria-label="You and the others" onClick={() => void navigate("/people")}>
          <CircleUserRound size={15} />
          <span className="max-w-20 truncate text-[12px]">{person.username}</span>
        </Button>
      </div>
    </header>
  );
}
