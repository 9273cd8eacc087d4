import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";
import type { Database } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { addsRecord } from "../../lines";
import { fill, type Carried, type Line } from "./model";

/** Make a field of a carried value in the database that the chosen Add line adds to, and fill it with that value. */
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
    mutationFn: (carried: Carried) =>
      answer(
        client.POST("/api/v1/databases/{database_id}/fields", {
          params: { path: { database_id: database?.id ?? 0 } },
          body: {
            name: carried.name.slice(1).join(" ") || (carried.name[0] ?? ""),
            type: carried.type as Schemas["NewFieldIn"]["type"],
            required: false,
            choices: [],
            grows: false,
          },
        }),
      ),
    onSuccess: async (field, carried) => {
      await queries.invalidateQueries({ queryKey: ["databases"] });
      if (adds) change(fill(adds, [{ field: field.id, filling: [{ ref: { line: carried.line, value: carried.key } }] }]));
      tell(`${database?.name ?? "The database"} now has the field ${field.name}.`);
    },
    onError: fail,
  });
  return database ? make.mutate : null;
}
