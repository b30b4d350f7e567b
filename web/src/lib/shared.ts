import type { Setting, WholeDevice } from "../api/client";

const kind = (setting: Setting): string => JSON.stringify([setting.type, setting.editor, setting.unit, setting.limits, !setting.reserved]);

/** The settings that all of them have with the same meaning: the path, the type and its limits, and that people may set it. */
export function sharedBy(devices: WholeDevice[]): Setting[] {
  const [first, ...rest] = devices;
  const model = first.profile;
  const others = rest.filter((d) => d.profile !== model).map((d) => new Map(d.settings.map((setting) => [setting.path, kind(setting)])));
  return others.length ? first.settings.filter((setting) => others.every((those) => those.get(setting.path) === kind(setting))) : first.settings;
}
