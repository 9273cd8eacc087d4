import type { LineView } from "../lineView";
import type { Update } from "../../screens/timetable/model";
import { RecordPanel } from "./RecordPanel";
import { recordOf } from "./recordOf";
import { undoneInApp } from "../databaseWords";
import { ofFields } from "../refs";

export default {
  offered: { rank: 10, words: "Update: change a record found or added above" },
  empty: (id) => [{ verb: "update", id, within: "", of: "", fillings: [] }],
  sentence: (line, { document, databases }) => {
    const detail = line.fillings.length === 1 ? "1 field" : `${line.fillings.length} fields`;
    return { verb: "Update", object: recordOf(line.of, document, databases), detail };
  },
  Panel: ({ line, databases, cell, findings, sample, onChange }) => (
    <RecordPanel line={line} databases={databases} cell={cell} findings={findings} hasSample={!!sample} onChange={onChange} />
  ),
  uses: ofFields,
  mark: "≠",
  undone: (database) => (database?.outside ? undoneInApp(database, "update") : "undo restores the previous values"),
  holds: "updated",
  there: true,
} satisfies LineView<Update>;
