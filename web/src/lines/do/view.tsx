import type { LineView } from "../lineView";
import { databaseOf } from "../../screens/timetable/carried";
import type { Do } from "../../screens/timetable/model";
import { ofFields } from "../refs";
import { recordOf } from "../update/recordOf";
import { DoPanel } from "./DoPanel";

export default {
  offered: { rank: 10.5, words: "Do: another action of an app, such as a comment" },
  empty: (id) => [{ verb: "do", id, within: "", of: "", operation: "", fillings: [] }],
  sentence: (line, { document, databases }) => {
    const of = document && databaseOf(line, document, databases);
    const operation = of?.outside?.operations.find((o) => o.code === line.operation);
    return { verb: "Do", object: operation?.words ?? "…", detail: `to ${recordOf(line.of, document, databases)}` };
  },
  Panel: ({ line, databases, cell, findings, sample, onChange }) => (
    <DoPanel line={line} databases={databases} cell={cell} findings={findings} hasSample={!!sample} onChange={onChange} />
  ),
  uses: ofFields,
  mark: "▸",
  undone: (database) => `can’t be undone in ${database?.outside?.app_name ?? "its app"}`,
  adds: false,
} satisfies LineView<Do>;
