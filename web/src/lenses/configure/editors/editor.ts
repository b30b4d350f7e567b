import type { Setting } from "../../../api/client";

/** What every editor of an intended value is given. `value` is VARIOUS where devices differ, null where nothing is decided. */
export interface EditorProps {
  setting: Setting;
  value: unknown;
  hint: string;
  /** Settles with why it was refused, empty where it was taken. */
  set: (path: string, value: unknown) => Promise<string>;
  forget: (path: string) => Promise<string>;
}

export const VARIOUS = Symbol("various");
