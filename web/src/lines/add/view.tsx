import type { LineView } from "../lineView";
import type { Add } from "../../screens/timetable/model";
import { added } from "../add/added";
import { AddingPanel } from "./AddingPanel";
import { undoneInApp } from "../databaseWords";
import { placeOf } from "../../screens/beside/place";
import { ofFields } from "../refs";

export default {
  offered: { rank: 8, words: "Add: a record to a database, or an item to an app" },
  empty: (id) => [{ verb: "add", id, within: "", database: null, fillings: [] }],
  sentence: (line, { databases }) => added("Add", "to", line, databases),
  Panel: AddingPanel,
  uses: ofFields,
  undone: (database) => (database?.outside ? undoneInApp(database, "add") : "undo moves it to the trash"),
  holds: "added",
  adds: true,
  target: (_, database) => database && placeOf(database),
} satisfies LineView<Add>;
