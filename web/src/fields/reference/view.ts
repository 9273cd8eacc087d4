import type { FieldView } from "../fieldView";
import { recordsOf } from "./recordsOf";
import { ReferenceEditor } from "./ReferenceEditor";

export default {
  width: 190,
  reads: (value) =>
    recordsOf(value)
      .map((record) => record.title)
      .join(", "),
  leads: (value) =>
    recordsOf(value).map((record) => ({
      words: record.title,
      href: `/databases/${record.database}/${record.id}`,
      download: false,
      here: true,
    })),
  Editor: ReferenceEditor,
} satisfies FieldView;
