import { useState } from "react";
import { openPanel, place } from "../lib/place";
import { Button } from "../ui/Button";

const KEPT = "netloom.welcomed";

/** What the demo is, and three things to try; gone for good once it was read. */
export function Welcome() {
  const [gone, setGone] = useState(() => localStorage.getItem(KEPT) === "yes");
  if (gone) return null;
  const close = () => {
    localStorage.setItem(KEPT, "yes");
    setGone(true);
  };
  return (
    <section aria-label="Welcome" className="mb-3 rounded-[3px] border border-indigo/40 bg-indigo-wash px-3 py-2.5 text-[13px]">
      <p className="font-semibold text-indigo">A ferry terminal to try things on</p>
      <p className="mt-0.5">Its devices are simulated on this computer, with real protocols and troubles of their own. Nothing leaves it, and nothing can break.</p>
      <ol className="mt-1.5 ml-5 list-decimal">
        <li>
          <b>Sweep all lines</b>: who answers appears on the strands at once. Some do not, each for another reason.
        </li>
        <li>
          Select a <b>missing</b> one: the bench says why, from tests that were made, and what to try.
        </li>
        <li>
          Press{" "}
          <button type="button" className="font-semibold underline" onClick={() => place.set({ density: "site" })}>
            z
          </button>{" "}
          for the whole site in one picture, and{" "}
          <button type="button" className="font-semibold underline" onClick={() => openPanel("find")}>
            /
          </button>{" "}
          to find anything, like <span className="font-mono">pulse time &gt; 400</span>.
        </li>
      </ol>
      <Button className="mt-2" onClick={close}>
        I have seen it
      </Button>
    </section>
  );
}
