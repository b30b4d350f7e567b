import type { Setting } from "../../../api/client";

/** What every editor of an intended value is given. `value` is VARIOUS where devices differ, null where nothing is decided. */
export interface EditorProps {
  setting: Setting;
  value: unknown;
  hint: string;
  set: (path: string, value: unknown) => void;
  forget: (path: string) => void;
}

export const VARIOUS = Symbol("various");
