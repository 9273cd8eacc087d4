import type { LineView } from "../lineView";
import type { Add } from "../../screens/timetable/model";
import { added } from "../add/added";
import { AddingPanel } from "./AddingPanel";
import { ofFields } from "../refs";

export default {
  offered: { rank: 8, words: "Add: a record to a database" },
  empty: (id) => [{ verb: "add", id, within: "", database: null, fillings: [] }],
  sentence: (line, { databases }) => added("Add", "to", line, databases),
  Panel: AddingPanel,
  uses: ofFields,
  undone: "undo moves it to the trash",
  holds: "added",
  adds: true,
  target: (line) => (line.database ? { kind: "database", id: line.database } : null),
} satisfies LineView<Add>;
