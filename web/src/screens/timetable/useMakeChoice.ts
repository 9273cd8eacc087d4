import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import type { Database } from "../../api/queries";
import { useNotices } from "../../frame/Notices";

/** Give a field of a database, or of a place of an app, another choice; what was rehearsed without it is rehearsed anew. */
export function useMakeChoice(database: Database): (field: string, name: string) => void {
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const make = useMutation({
    mutationFn: ({ field, name }: { field: string; name: string }) => {
      const body = { name };
      return database.outside
        ? answer(
            client.POST("/api/v1/places/{place_id}/fields/{field_id}/choices", {
              params: { path: { place_id: database.id, field_id: field } },
              body,
            }),
          )
        : answer(
            client.POST("/api/v1/databases/{database_id}/fields/{field_id}/choices", {
              params: { path: { database_id: database.id, field_id: field } },
              body,
            }),
          );
    },
    onSuccess: async (now, { field, name }) => {
      await Promise.all([
        queries.invalidateQueries({ queryKey: [database.outside ? "places" : "databases"] }),
        queries.invalidateQueries({ queryKey: ["rehearsal"] }),
      ]);
      tell(`${now.fields.find((f) => f.id === field)?.name ?? "The field"} now has the choice ${name}.`);
    },
    onError: fail,
  });
  return (field, name) => make.mutate({ field, name });
}
