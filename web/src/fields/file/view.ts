import type { FieldView } from "../fieldView";
import { FileEditor } from "./FileEditor";

export default {
  width: 180,
  reads: (value) => (Array.isArray(value) ? String(value[0] ?? "") : ""),
  leads: (value, copy) => [{ words: Array.isArray(value) ? String(value[0] ?? "") : "", href: copy, download: true }],
  Editor: FileEditor,
} satisfies FieldView;
