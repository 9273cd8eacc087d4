import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";
import { newKey } from "../../api/key";
import { useNotices } from "../../frame/Notices";

export type PressButton = Schemas["ButtonOut"];

/** The workflows that can be started by hand in a database, and starting them; a press that is sent twice is one. */
export function usePress(database: number) {
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const buttons = useQuery({
    queryKey: ["workflows", "buttons", database],
    queryFn: () => answer(client.GET("/api/v1/databases/{database_id}/buttons", { params: { path: { database_id: database } } })),
  }).data;
  const start = useMutation({
    mutationFn: ({ button, records }: { button: PressButton; records: number[]; words: string }) =>
      answer(
        client.POST("/api/v1/workflows/{workflow_id}/press", {
          params: { path: { workflow_id: button.workflow }, header: { "idempotency-key": newKey() } },
          body: { records },
        }),
      ),
    onSuccess: (_, { words }) => {
      tell(words);
      void queries.invalidateQueries({ queryKey: ["runs"] });
    },
    onError: fail,
  });
  return {
    buttons: buttons ?? [],
    busy: start.isPending,
    press: (button: PressButton, records: number[], words: string) => start.mutate({ button, records, words }),
  };
}
