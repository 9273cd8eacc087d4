import type { LineView } from "../lineView";
import type { Get } from "../../screens/timetable/model";
import { aRecord, fullName } from "../databaseWords";
import { ofParts } from "../refs";
import { GetPanel } from "./GetPanel";

export default {
  offered: { rank: 3.5, words: "Get: one record or item by its link" },
  empty: (id) => [{ verb: "get", id, within: "", database: null, what: [], none: "go_on" }],
  sentence: (line, { databases }) => {
    const database = databases.find((d) => d.id === line.database);
    const object = `${aRecord(database)} of ${database ? fullName(database) : line.database ? "a deleted database" : "…"}`;
    return { verb: "Get", object, detail: "by its link" };
  },
  Panel: ({ line, databases, cell, findings, onChange }) => (
    <GetPanel line={line} databases={databases} cell={cell} findings={findings} onChange={onChange} />
  ),
  uses: (line) => ofParts(line.what),
  holds: "found",
} satisfies LineView<Get>;
