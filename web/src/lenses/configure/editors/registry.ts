import type { ComponentType } from "react";
import { CurveEditor } from "./CurveEditor";
import type { EditorProps } from "./editor";
import { RowEditor } from "./RowEditor";
import { SecretEditor } from "./SecretEditor";
import { BytesEditor, ListEditor } from "./TextEditors";

/** Editors by the name that a type of value asks for. A new one is its file and a line here. */
export const EDITORS: Record<string, ComponentType<EditorProps>> = {
  row: RowEditor,
  secret: SecretEditor,
  curve: CurveEditor,
  bytes: BytesEditor,
  list: ListEditor,
};
