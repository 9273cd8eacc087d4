import type { FieldView } from "../fieldView";
import { SeveralFilesEditor } from "./SeveralFilesEditor";
import { filesOf } from "./filesOf";

export default {
  width: 200,
  reads: (value) =>
    filesOf(value)
      .map((file) => file[0])
      .join(", "),
  leads: (value, copy) => filesOf(value).map((file, place) => ({ words: file[0] ?? "", href: `${copy}?place=${place}`, download: true })),
  Editor: SeveralFilesEditor,
} satisfies FieldView;
