import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";
import type { Database } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { addsRecord } from "../../lines";
import { fill, type Carried, type Line } from "./model";

/** Make a field of a carried value in the database, or the place of an app, that the chosen Add line adds to, and fill it. */
export function useMakeField(
  line: Line | undefined,
  change: (line: Line) => void,
  databases: Database[],
): ((carried: Carried) => void) | null {
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const adds = addsRecord(line) ? line : undefined;
  const database = databases.find((d) => d.id === adds?.database);
  const make = useMutation({
    mutationFn: async (carried: Carried) => {
      const name = carried.name.slice(1).join(" ") || (carried.name[0] ?? "");
      const type = carried.type as Schemas["NewFieldIn"]["type"];
      if (database?.outside) {
        const path = { place_id: database.id };
        const place = await answer(client.POST("/api/v1/places/{place_id}/fields", { params: { path }, body: { name, type } }));
        const made = place.fields.find((f) => f.name === name);
        if (!made) throw new Error(`${name} was not added to ${database.name}.`);
        return made;
      }
      const path = { database_id: database?.id ?? 0 };
      const body = { name, type, required: false, choices: [], grows: false };
      return answer(client.POST("/api/v1/databases/{database_id}/fields", { params: { path }, body }));
    },
    onSuccess: async (field, carried) => {
      await queries.invalidateQueries({ queryKey: [database?.outside ? "places" : "databases"] });
      if (adds) change(fill(adds, [{ field: field.id, filling: [{ ref: { line: carried.line, value: carried.key } }] }]));
      tell(`${database?.name ?? "The database"} now has the field ${field.name}.`);
    },
    onError: fail,
  });
  return database && (database.outside?.makes ?? true) ? make.mutate : null;
}
