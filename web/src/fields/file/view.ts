import type { FieldView } from "../fieldView";
import { FileEditor } from "./FileEditor";

export default {
  width: 180,
  reads: (value) => (Array.isArray(value) ? (value[0] ?? "") : ""),
  leads: (_, copy) => ({ href: copy, download: true }),
  Editor: FileEditor,
} satisfies FieldView;
