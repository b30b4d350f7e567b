import { Tabs } from "radix-ui";
import type { Schemas } from "../api/client";
import { Over } from "../ui/Over";
import { People } from "./People";
import { Tokens } from "./Tokens";
import { You } from "./You";

const TAB = "border-b-2 border-transparent px-3 py-1.5 text-[13px] font-medium text-soft data-[state=active]:border-indigo data-[state=active]:text-indigo";

/** Who one is and how one gets in; for a lead, everybody. */
export function PeoplePanel({ person, close }: { person: Schemas["Person"]; close: () => void }) {
  return (
    <Over title={`Signed in as ${person.username}`} note={`Role: ${person.role}`} wide close={close}>
      <Tabs.Root defaultValue="you" className="flex min-h-0 flex-col">
        <Tabs.List aria-label="Access" className="flex border-b border-weave px-2">
          <Tabs.Trigger value="you" className={TAB}>
            Password and code
          </Tabs.Trigger>
          <Tabs.Trigger value="tokens" className={TAB}>
            Tokens for scripts
          </Tabs.Trigger>
          {person.role === "lead" && (
            <Tabs.Trigger value="people" className={TAB}>
              People
            </Tabs.Trigger>
          )}
        </Tabs.List>
        <div className="overflow-auto px-4 py-3">
          <Tabs.Content value="you">
            <You person={person} close={close} />
          </Tabs.Content>
          <Tabs.Content value="tokens">
            <Tokens person={person} />
          </Tabs.Content>
          {person.role === "lead" && (
            <Tabs.Content value="people">
              <People me={person} />
            </Tabs.Content>
          )}
        </div>
      </Tabs.Root>
    </Over>
  );
}
