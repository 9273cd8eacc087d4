import type { Database } from "../../api/queries";
import type { Adds } from "../../screens/timetable/model";
import { aRecord, fullName } from "../databaseWords";
import type { Sentence } from "../lineView";

/** What is told of a line that adds. */
export function added(verb: string, into: string, line: Adds, databases: Database[]): Sentence {
  const database = databases.find((d) => d.id === line.database);
  const object = `${aRecord(database)} ${into} ${database ? fullName(database) : line.database ? "a deleted database" : "…"}`;
  const filled = database && `${line.fillings.length} of ${database.fields.filter((f) => f.can_write).length} fields filled`;
  return { verb, object, detail: filled ?? "choose the database" };
}
