import { useQuery } from "@tanstack/react-query";
import { ArrowLeft } from "lucide-react";
import { useEffect } from "react";
import { useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { devicesQuery } from "../api/queries";
import { Button } from "../ui/Button";
import { useLeaving } from "./Leave";
import { People } from "./People";
import { Tokens } from "./Tokens";
import { You } from "./You";

const PART = "min-w-0 rounded-[4px] border border-weave bg-cloth px-4 pt-2 pb-4";

/** The page of who one is and how one gets in; for a lead, of everybody. Back goes to where one came from. */
export function PeoplePage({ person }: { person: Schemas["Person"] }) {
  const navigate = useNavigate();
  useLeaving(useQuery(devicesQuery).data);
  const back = () => void (history.state?.idx > 0 ? navigate(-1) : navigate("/survey"));
  useEffect(() => {
    document.title = "People and access";
    const pressed = (event: KeyboardEvent) => {
      const typed = event.target instanceof HTMLElement && event.target.closest("input, select");
      if (event.key === "Escape" && !typed) back();
    };
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  });
  return (
    <div className="h-full overflow-auto">
      <header className="sticky top-0 z-10 flex items-center gap-3 border-b border-weave bg-cloth px-4 py-2">
        <Button onClick={back} title="Back (Escape)">
          <ArrowLeft size={14} /> Back
        </Button>
        <div className="leading-tight">
          <h1 className="text-[15px] font-semibold">People and access</h1>
          <p className="text-[12.5px] text-soft">
            Signed in as <b className="font-medium text-ink">{person.username}</b>, {person.role}
          </p>
        </div>
      </header>
      <main className="mx-auto grid max-w-[1180px] items-start gap-4 p-4 lg:grid-cols-2">
        <section aria-label="You" className={PART}>
          <You person={person} />
        </section>
        <div className="flex min-w-0 flex-col gap-4">
          {person.role === "lead" && (
            <section aria-label="People" className={PART}>
              <People me={person} />
            </section>
          )}
          <section aria-label="Tokens for scripts" className={PART}>
            <Tokens person={person} />
          </section>
        </div>
      </main>
    </div>
  );
}
