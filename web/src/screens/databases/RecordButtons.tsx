import { Button } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";
import { useNotices } from "../../frame/Notices";

/** Starts workflows for this record: those with a button of their own, and others that a record can start. */
export function RecordButtons({ database, record }: { database: number; record: number }) {
  const buttons = useQuery({
    queryKey: ["workflows", "buttons", database],
    queryFn: () => answer(client.GET("/api/v1/databases/{database_id}/buttons", { params: { path: { database_id: database } } })),
  }).data;
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const press = useMutation({
    mutationFn: (button: Schemas["ButtonOut"]) =>
      answer(
        client.POST("/api/v1/workflows/{workflow_id}/press", {
          params: { path: { workflow_id: button.workflow }, header: { "idempotency-key": crypto.randomUUID() } },
          body: { records: [record] },
        }),
      ),
    onSuccess: (_, button) => {
      tell(`${button.name} was started for this record.`);
      void queries.invalidateQueries({ queryKey: ["runs"] });
    },
    onError: fail,
  });
  if (!buttons?.length) return null;
  return (
    <div className="row wrapped" style={{ marginBottom: 8 }}>
      {buttons.map((b) =>
        b.button ? (
          <Button key={b.workflow} onClick={() => press.mutate(b)} disabled={press.isPending}>
            {b.button}
          </Button>
        ) : (
          <button key={b.workflow} className="link" onClick={() => press.mutate(b)} disabled={press.isPending}>
            start {b.name}
          </button>
        ),
      )}
    </div>
  );
}
