import type { LineView } from "../lineView";
import type { Delete } from "../../screens/timetable/model";
import { RecordPanel } from "../update/RecordPanel";
import { recordOf } from "../update/recordOf";

export default {
  offered: { rank: 15, words: "Delete: move a record to the trash" },
  empty: (id) => [{ verb: "delete", id, within: "", of: "" }],
  sentence: (line, { document }) => ({ verb: "Delete", object: recordOf(line.of, document), detail: "to the trash" }),
  Panel: ({ line, databases, cell, findings, sample, onChange }) => (
    <RecordPanel line={line} databases={databases} cell={cell} findings={findings} hasSample={!!sample} onChange={onChange} />
  ),
  mark: "×",
  undone: "undo restores it from the trash",
} satisfies LineView<Delete>;
