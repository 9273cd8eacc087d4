import type { LineView } from "../lineView";
import type { ListValues } from "../../screens/timetable/model";
import { fullName } from "../databaseWords";
import { ListPanel } from "./ListPanel";

export default {
  offered: { rank: 3.6, words: "List: options of a field, or places of an app" },
  empty: (id) => [{ verb: "list", id, within: "", database: null, field: null }],
  sentence: (line, { databases }) => {
    const database = databases.find((d) => d.id === line.database);
    const field = database?.fields.find((f) => f.id === line.field);
    if (!database) return { verb: "List", object: line.database ? "a deleted database" : "…", detail: "choose what to list" };
    if (line.field) return { verb: "List", object: `options of ${field?.name ?? "a deleted field"}`, detail: fullName(database) };
    return { verb: "List", object: database.outside?.places_word ?? "…", detail: database.outside?.app_name ?? "choose a field" };
  },
  Panel: ({ line, databases, cell, findings, onChange }) => (
    <ListPanel line={line} databases={databases} cell={cell} findings={findings} onChange={onChange} />
  ),
} satisfies LineView<ListValues>;
