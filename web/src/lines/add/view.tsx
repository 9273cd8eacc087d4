import type { LineView } from "../lineView";
import type { Add } from "../../screens/timetable/model";
import { whenOf } from "../../screens/timetable/model";
import { added } from "../add/added";
import { AddPanel } from "./AddPanel";
import { ofFields } from "../refs";

export default {
  offered: { rank: 8, words: "Add: a record to a database" },
  empty: (id) => [{ verb: "add", id, within: "", database: null, fillings: [] }],
  sentence: (line, { databases }) => added("Add", "to", line, databases),
  Panel: ({ line, document, databases, cell, findings, sample, onChange }) => (
    <AddPanel
      line={line}
      when={whenOf(document).id}
      app={whenOf(document).app}
      databases={databases}
      cell={cell}
      findings={findings}
      sample={sample}
      onChange={onChange}
    />
  ),
  uses: ofFields,
  undone: "undo puts it into the trash",
  holds: "added",
  adds: true,
  target: (line) => (line.database ? { kind: "database", id: line.database } : null),
} satisfies LineView<Add>;
