import type { LineView } from "../lineView";
import type { Find } from "../../screens/timetable/model";
import { aRecord, fullName, recordsWord } from "../databaseWords";
import { FindPanel } from "./FindPanel";
import { ofParts } from "../refs";

export default {
  offered: { rank: 3, words: "Find: look up records or items" },
  empty: (id) => [
    {
      verb: "find",
      id,
      within: "",
      database: null,
      mode: "all",
      sought: [],
      several: "newest",
      none: "go_on",
      order: null,
      descending: false,
      figures: [],
      listed: [],
    },
  ],
  sentence: (line, { databases }) => {
    const database = databases.find((d) => d.id === line.database);
    const one = line.several === "all" ? `all ${recordsWord(database)}` : aRecord(database);
    if (!database)
      return { verb: "Find", object: line.database ? `${one} in a deleted database` : `${one} in …`, detail: "choose the database" };
    const names = line.sought.map((s) => database.fields.find((f) => f.id === s.field)?.name ?? (s.named || "a deleted field"));
    const detail = names.length ? `by ${names.join(line.mode === "all" ? " and " : " or ")}` : "choose a field to compare";
    return { verb: "Find", object: `${one} in ${fullName(database)}`, detail };
  },
  Panel: ({ line, databases, cell, findings, onChange }) => (
    <FindPanel line={line} databases={databases} cell={cell} findings={findings} onChange={onChange} />
  ),
  uses: (line) => line.sought.flatMap((s) => ofParts(s.filling)),
  holds: "found",
} satisfies LineView<Find>;
