import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answer, client, Problem, said } from "../../api/client";
import { newKey } from "../../api/key";
import type { RecordOut, Wire } from "../../api/queries";
import { useNotices } from "../../frame/Notices";

interface Edit {
  record: RecordOut;
  values: Record<string, Wire>;
}

/** Writing records: each write names the version that was seen, and can be undone. */
export function useWriting(database: number) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { tell, fail } = useNotices();
  const again = () => {
    void queries.invalidateQueries({ queryKey: ["records", database] });
    void queries.invalidateQueries({ queryKey: ["record", database] });
  };
  const undo = useMutation({
    mutationFn: (seq: number) => answer(client.POST("/api/v1/changes/{seq}/undo", { params: { path: { seq } } })),
    onSuccess: () => {
      again();
      tell("Undone.");
    },
    onError: fail,
  });
  const offer = (text: string, seq: number) => tell(text, { label: "Undo", run: () => undo.mutate(seq) });

  const edit = useMutation({
    mutationFn: ({ record, values }: Edit) =>
      answer(
        client.PATCH("/api/v1/databases/{database_id}/records/{record_id}", {
          params: { path: { database_id: database, record_id: record.id }, header: { "if-match": String(record.version) } },
          body: { values },
        }),
      ),
    onSuccess: (made) => {
      again();
      offer("Saved.", made.change);
    },
    onError: (error, { record, values }) => {
      again();
      if (!(error instanceof Problem) || error.status !== 412) return fail(error);
      // The other edit stays; what was typed here is kept and can be written over it, knowingly.
      const typed = Object.values(values).map(String).join(", ");
      return tell(`${said(error)} You typed: “${typed}”.`, {
        label: "Write mine",
        run: () => edit.mutate({ record: { ...record, version: Number(error.more.version) }, values }),
      });
    },
  });
  const add = useMutation({
    mutationFn: (values: Record<string, Wire>) =>
      answer(
        client.POST("/api/v1/databases/{database_id}/records", {
          params: { path: { database_id: database }, header: { "idempotency-key": newKey() } },
          body: { values },
        }),
      ),
    onSuccess: (made) => {
      again();
      void navigate(`/databases/${database}/${made.record.id}`);
    },
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: (record: number) =>
      answer(
        client.DELETE("/api/v1/databases/{database_id}/records/{record_id}", {
          params: { path: { database_id: database, record_id: record } },
        }),
      ),
    onSuccess: (made) => {
      void navigate(`/databases/${database}`);
      again();
      const seq = made.change;
      if (seq !== undefined) offer("The record is in the trash.", seq);
    },
    onError: fail,
  });
  return { edit, add, remove, undo };
}
