import type { LineView } from "../lineView";
import type { AddOrUpdate } from "../../screens/timetable/model";
import { added } from "../add/added";
import { AddingPanel } from "../add/AddingPanel";
import { undoneInApp } from "../databaseWords";
import { placeOf } from "../../screens/beside/place";
import { ofFields } from "../refs";

export default {
  offered: { rank: 9, words: "Add or update: keep one record for each thing" },
  empty: (id) => [{ verb: "add_or_update", id, within: "", database: null, by: [], fillings: [], several: "stop" }],
  sentence: (line, { databases }) => added("Add or update", "in", line, databases),
  Panel: AddingPanel,
  uses: ofFields,
  undone: (database) =>
    database?.outside ? undoneInApp(database, "add_or_update") : "undo moves new records to the trash and restores previous values",
  holds: "added or updated",
  adds: true,
  there: true,
  target: (_, database) => database && placeOf(database),
  mark: "±",
} satisfies LineView<AddOrUpdate>;
