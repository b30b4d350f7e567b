import { asProblem } from "../api/client";
import { Store } from "./store";

/** One decision that a person made here, and how it is taken back and made again. */
export interface Edit {
  words: string;
  paths?: string[]; // the settings that it is about
  back: () => Promise<unknown>;
  again: () => Promise<unknown>;
}

const MOST = 100;

interface Edits {
  past: Edit[];
  future: Edit[];
  busy: boolean;
}

/** What was decided on this page since it was opened, in its order. Nothing of it is on a device: only a run writes. */
class EditStore extends Store<Edits> {
  done(edit: Edit): void {
    this.set((now) => ({ ...now, past: [...now.past, edit].slice(-MOST), future: [] }));
  }

  undo = (): Promise<string> => this.step("past", "future", "back");
  redo = (): Promise<string> => this.step("future", "past", "again");

  /** The words of what was done; empty where there is nothing, or one is under way. What is refused is forgotten, and
   * thrown; of what nobody answered it is not known whether it was done, and doing it again does no harm. */
  private async step(from: "past" | "future", to: "past" | "future", way: "back" | "again"): Promise<string> {
    const edit = this.get()[from].at(-1);
    if (!edit || this.get().busy) return "";
    this.set({ busy: true });
    try {
      await edit[way]();
      this.set((now) => ({ ...now, [from]: now[from].filter((one) => one !== edit), [to]: [...now[to], edit] }));
      return edit.words;
    } catch (error) {
      const refused = !["offline", "server"].includes(asProblem(error).code);
      if (refused) this.set((now) => ({ ...now, [from]: now[from].filter((one) => one !== edit) }));
      throw error;
    } finally {
      this.set({ busy: false });
    }
  }
}

export const edits = new EditStore({ past: [], future: [], busy: false });

/** The value at a pointer of a document; undefined where nothing stands there. */
export function at(document: unknown, path: string): unknown {
  let here = document;
  for (const token of path.split("/").slice(1)) {
    if (typeof here !== "object" || here === null) return undefined;
    here = (here as Record<string, unknown>)[token.replaceAll("~1", "/").replaceAll("~0", "~")];
  }
  return here;
}
