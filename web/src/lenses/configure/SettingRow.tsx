import clsx from "clsx";
import { useEffect } from "react";
import type { Setting } from "../../api/client";
import { place } from "../../lib/place";
import { useStore } from "../../lib/store";
import { shown } from "../../lib/words";
import { VARIOUS } from "./editors/editor";
import { EDITORS } from "./editors/registry";
import { common, differing, OnIt, Tags } from "./OnIt";

export interface SettingProps {
  setting: Setting;
  /** The same setting of all selected devices. */
  all: Setting[];
  set: (path: string, value: unknown) => Promise<string>;
  forget: (path: string) => Promise<string>;
}

/** Brings a setting into view that was found by its name. */
export function useFound(path: string): boolean {
  const found = useStore(place, (p) => p.setting === path);
  useEffect(() => {
    if (found) document.getElementById(`setting-${path}`)?.scrollIntoView({ block: "center", inline: "nearest" });
  }, [found, path]);
  return found;
}

/** The editor of what is intended, or why there is none. */
export function Intended({ setting, all, set, forget }: SettingProps) {
  const intended = common(all, "intended");
  const running = common(all, "running");
  const Editor = EDITORS[setting.editor] ?? EDITORS.row;
  const hint = intended === VARIOUS ? "various" : running === VARIOUS ? "" : shown(running, setting);
  if (setting.reserved)
    return (
      <span className="text-soft" title={setting.reserved}>
        reserved
      </span>
    );
  // The larger editors begin anew with another value; a row stays, so that nobody loses the place where they type.
  const key = Editor === EDITORS.row ? setting.path : JSON.stringify(intended === VARIOUS ? "various" : intended);
  return <Editor key={key} setting={setting} value={intended} hint={hint} set={set} forget={forget} />;
}

/** One setting: what is intended, and what the device has. */
export function SettingRow(props: SettingProps) {
  const { setting, all } = props;
  const found = useFound(setting.path);
  const { pending, drift, unkept } = differing(all);
  return (
    <tr id={`setting-${setting.path}`} className={clsx("border-t border-weave/80 align-top", (pending || drift || unkept) && "bg-weld-wash/40", found && "outline-2 outline-indigo")}>
      <td className="py-1 pr-2">
        <span className="block" title={setting.path}>
          {setting.label}
        </span>
        <span className="flex flex-wrap gap-1">
          <Tags all={all} />
        </span>
      </td>
      <td className="py-0.5 pr-2">
        <Intended {...props} />
      </td>
      <td className="py-1">
        <OnIt setting={setting} all={all} />
      </td>
    </tr>
  );
}
