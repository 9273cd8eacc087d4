import type { LineView } from "../lineView";
import type { AddOrUpdate } from "../../screens/timetable/model";
import { added } from "../add/added";
import { AddingPanel } from "../add/AddingPanel";
import { ofFields } from "../refs";

export default {
  offered: { rank: 9, words: "Add or update: keep one record for each thing" },
  empty: (id) => [{ verb: "add_or_update", id, within: "", database: null, by: [], fillings: [], several: "stop" }],
  sentence: (line, { databases }) => added("Add or update", "in", line, databases),
  Panel: AddingPanel,
  uses: ofFields,
  undone: "undo moves new records to the trash and restores previous values",
  holds: "added or updated",
  adds: true,
  there: true,
  target: (line) => (line.database ? { kind: "database", id: line.database } : null),
  mark: "±",
} satisfies LineView<AddOrUpdate>;
