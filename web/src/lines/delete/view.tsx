import type { LineView } from "../lineView";
import type { Delete } from "../../screens/timetable/model";
import { RecordPanel } from "../update/RecordPanel";
import { undoneInApp } from "../databaseWords";
import { databaseOf } from "../../screens/timetable/carried";
import { recordOf } from "../update/recordOf";

export default {
  offered: { rank: 15, words: "Delete: a record or an item found or added above" },
  empty: (id) => [{ verb: "delete", id, within: "", of: "" }],
  sentence: (line, { document, databases }) => {
    const inApp = !!document && !!databaseOf(line, document, databases)?.outside;
    return { verb: "Delete", object: recordOf(line.of, document, databases), detail: inApp ? "in its app" : "to the trash" };
  },
  Panel: ({ line, databases, cell, findings, sample, onChange }) => (
    <RecordPanel line={line} databases={databases} cell={cell} findings={findings} hasSample={!!sample} onChange={onChange} />
  ),
  mark: "×",
  undone: (database) => (database?.outside ? undoneInApp(database, "delete") : "undo restores it from the trash"),
} satisfies LineView<Delete>;
