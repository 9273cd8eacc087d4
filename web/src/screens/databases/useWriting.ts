import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { answer, client, Problem, said, type Schemas } from "../../api/client";
import { takeUp, type Change } from "../../api/changes";
import { newKey } from "../../api/key";
import type { RecordOut, Wire } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import type { View } from "../../views/queries";

interface Edit {
  /** The record as it was when editing began. */
  record: RecordOut;
  values: Record<string, Wire>;
}

/** An edit of what was changed elsewhere since it was begun. */
export interface Clashing {
  edit: Edit;
  mine: Record<string, Wire>;
  theirs: Record<string, Wire>;
}

/** An edit that was refused: it stays in its box, to be corrected. */
export interface RefusedEdit {
  record: number;
  field: string;
  typed: Wire;
  problem: string;
}

/** Values for a record as it was seen, or for a new one. */
export interface RowEdit {
  record: RecordOut | null;
  values: Record<string, Wire>;
}

const MANY = 2000; // records that are written at once

const same = (a: Wire | undefined, b: Wire | undefined) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

/** Writing records: each write names the version that was seen, and can be undone. */
export function useWriting(database: number, search = "") {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { tell, fail } = useNotices();
  /** The versions that were written here last: what is done next was done upon these, also where they are not shown yet. */
  const written = useRef(new Map<number, number>());
  /** An edit as it is sent: without what was seen to be so already. Nothing where nothing is left. */
  const sent = ({ record, values }: RowEdit): Schemas["EditIn"][] => {
    if (!record) return [{ record: null, version: null, values }];
    const version = Math.max(record.version, written.current.get(record.id) ?? 0);
    const isShown = version === record.version;
    const left = Object.entries(values).filter(([field, value]) => !isShown || !same(value, record.values[field]));
    return left.length ? [{ record: record.id, version, values: Object.fromEntries(left) }] : [];
  };
  /** Show at once what was written here; the live stream tells of it too, a moment later. */
  const again = (record: number, kind: Change["kind"] = "changed") => takeUp(queries, [{ database, record, kind, number: 0 }]);
  const undo = useMutation({
    mutationFn: (seq: number) => answer(client.POST("/api/v1/changes/{seq}/undo", { params: { path: { seq } } })),
    onSuccess: (made) => {
      again(made.record, "added"); // where it is there again; else it is not found
      tell("Undone.");
    },
    onError: fail,
  });
  const [clash, setClash] = useState<Clashing | null>(null);
  const [refused, setRefused] = useState<RefusedEdit | null>(null);
  const offer = (text: string, seq: number) => tell(text, { label: "Undo", run: () => undo.mutate(seq) });

  const edit = useMutation({
    mutationFn: ({ record, values }: Edit) =>
      answer(
        client.PATCH("/api/v1/databases/{database_id}/records/{record_id}", {
          params: { path: { database_id: database, record_id: record.id }, header: { "if-match": String(record.version) } },
          body: { values },
        }),
      ),
    onMutate: () => setRefused(null),
    onSuccess: (made) => {
      written.current.set(made.record.id, made.record.version);
      again(made.record.id);
      offer("Saved.", made.change);
    },
    onError: (error, { record, values }) => {
      again(record.id);
      const [field] = Object.keys(values);
      if (error instanceof Problem && error.status === 422 && field)
        setRefused({ record: record.id, field, typed: values[field] ?? null, problem: said(error) });
      if (!(error instanceof Problem) || error.status !== 412) return fail(error);
      const theirs = error.more.values as Record<string, Wire>;
      const newer = { ...record, version: Number(error.more.version), values: theirs };
      const touched = Object.keys(values).filter(
        (field) => !same(theirs[field], record.values[field]) && !same(theirs[field], values[field]),
      );
      // Other fields were changed, or to the same: both edits stand. Else the person chooses.
      if (touched.length === 0) edit.mutate({ record: newer, values });
      else setClash({ edit: { record: newer, values }, mine: values, theirs });
    },
  });
  const undoAll = useMutation({
    mutationFn: (changes: number[]) => answer(client.POST("/api/v1/changes/undo", { body: { changes } })),
    onSuccess: () => tell("Undone."),
    onError: fail,
  });
  const editAll = useMutation({
    scope: { id: `records of ${database}` }, // one after the other
    mutationFn: async ({ edits }: { edits: RowEdit[]; did: string }) => {
      const body = { edits: edits.flatMap(sent) };
      if (body.edits.length > MANY)
        throw new Problem(422, {
          title: `${body.edits.length} records can’t be changed at once.`,
          detail: `Take ${MANY} at most. Nothing was changed.`,
        });
      if (body.edits.length === 0) return [];
      return answer(client.POST("/api/v1/databases/{database_id}/records/edit", { params: { path: { database_id: database } }, body }));
    },
    onSuccess: (made, { edits, did }) => {
      if (made.length === 0) return;
      for (const { record, version } of made) written.current.set(record, version);
      const known = new Set(edits.map((e) => e.record?.id));
      takeUp(
        queries,
        made.map(({ record }) => ({ database, record, kind: known.has(record) ? "changed" : "added", number: 0 })),
      );
      tell(`${did}: ${made.length} ${made.length === 1 ? "record" : "records"}.`, {
        label: "Undo",
        run: () => undoAll.mutate(made.map((one) => one.change)),
      });
    },
    onError: fail,
  });
  const add = useMutation({
    mutationFn: async ({ values, view }: { values: Record<string, Wire>; view: View }) => {
      const place = { path: { database_id: database } };
      const begun = await answer(
        client.POST("/api/v1/databases/{database_id}/begun", { params: place, body: { view, at: new URLSearchParams(search).get("at") } }),
      );
      return answer(
        client.POST("/api/v1/databases/{database_id}/records", {
          params: { ...place, header: { "idempotency-key": newKey() } },
          body: { values: { ...values, ...begun.values } },
        }),
      );
    },
    onSuccess: (made) => {
      again(made.record.id, "added");
      void navigate(`/databases/${database}/${made.record.id}${search}`);
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
    // It leaves the screen first: nothing there asks for it any more when it is gone.
    onMutate: () => void navigate(`/databases/${database}${search}`),
    onSuccess: (made, record) => {
      again(record, "deleted");
      const seq = made.change;
      if (seq !== undefined) offer("Record moved to the trash.", seq);
    },
    onError: fail,
  });
  const settle = (mine: boolean) => {
    if (mine && clash) edit.mutate(clash.edit);
    setClash(null);
  };
  return { edit, editAll, add, remove, undo, clash, settle, refused };
}
