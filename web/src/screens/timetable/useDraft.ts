import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { answer, client, Problem, said } from "../../api/client";
import type { WorkflowDetail } from "../../api/queries";
import type { Document } from "./model";

interface Content {
  name: string;
  document: Document;
}

export type Saving = "saved" | "saving" | "stale" | "failed";

const declares = (document: Document) => document.lines.some((l) => "own" in l && l.own?.kind === "address");
const PAUSE = 350; // milliseconds without an edit before a draft is saved

/**
 * The draft as it is edited here: saved by itself after a moment, undone and redone. A draft that was saved from another
 * window meanwhile is not overwritten: the person is told and decides.
 */
export function useDraft(kept: WorkflowDetail) {
  const queries = useQueryClient();
  const [content, setContent] = useState<Content>({ name: kept.name, document: kept.document });
  const [saved, setSaved] = useState<Content>(content);
  const [version, setVersion] = useState(kept.draft_version);
  const [saving, setSaving] = useState<Saving>("saved");
  const [problem, setProblem] = useState("");
  const past = useRef<Content[]>([]);
  const future = useRef<Content[]>([]);
  const saw = useRef(kept.draft_version);
  const under = useRef<Promise<boolean>>(Promise.resolve(true));
  const unsure = useRef<Content | null>(null); // what was sent, and no answer came

  const adopt = useCallback((from: WorkflowDetail) => {
    const theirs = { name: from.name, document: from.document };
    setContent(theirs);
    setSaved(theirs);
    saw.current = from.draft_version;
    setVersion(from.draft_version);
    setSaving("saved");
    setProblem("");
  }, []);

  const clean = content === saved;
  useEffect(() => {
    if (kept.draft_version > saw.current && clean && saving === "saved") adopt(kept);
  }, [kept, clean, saving, adopt]);

  const put = useCallback(
    async (what: Content): Promise<boolean> => {
      setSaving("saving");
      try {
        const send = (body: Content) =>
          answer(
            client.PUT("/api/v1/workflows/{workflow_id}", {
              params: { path: { workflow_id: kept.id }, header: { "if-match": String(saw.current) } },
              body,
            }),
          );
        // Sent again as it was, what may have been kept is found to be ours; only then comes what was typed since.
        if (unsure.current && unsure.current !== what) {
          saw.current = (await send(unsure.current)).draft_version;
          unsure.current = null;
        }
        const made = await send(what);
        unsure.current = null;
        saw.current = made.draft_version;
        setVersion(made.draft_version);
        setSaved(what);
        setSaving("saved");
        queries.setQueryData(["workflow", kept.id], made);
        if (declares(what.document)) void queries.invalidateQueries({ queryKey: ["samples", kept.id] }); // they show what is declared
        return true;
      } catch (error) {
        if (!(error instanceof Problem) || error.status === 0 || error.status >= 500) unsure.current ??= what;
        setProblem(said(error));
        setSaving(error instanceof Problem && error.status === 412 ? "stale" : "failed");
        return false;
      }
    },
    [kept.id, queries],
  );
  /** Saves go one after the other: the next names the version that the one before it made. */
  const save = useCallback(
    (what: Content): Promise<boolean> => {
      const mine = under.current.then(() => put(what));
      under.current = mine;
      return mine;
    },
    [put],
  );

  useEffect(() => {
    if (clean || saving === "stale" || saving === "saving") return undefined;
    const wait = setTimeout(() => void save(content), saving === "failed" ? 5_000 : PAUSE);
    return () => clearTimeout(wait);
  }, [clean, content, saving, save]);

  useEffect(() => {
    if (clean || saving !== "saved") return undefined;
    // A window that is closed or reloaded within that moment still sends it: the browser does so after the page is gone.
    const leave = () =>
      void client.PUT("/api/v1/workflows/{workflow_id}", {
        params: { path: { workflow_id: kept.id }, header: { "if-match": String(saw.current) } },
        body: content,
        keepalive: true,
      });
    window.addEventListener("pagehide", leave);
    return () => window.removeEventListener("pagehide", leave);
  }, [clean, content, saving, kept.id]);

  const change = useCallback((next: Content) => {
    setContent((now) => {
      past.current = [...past.current.slice(-99), now];
      future.current = [];
      return next;
    });
  }, []);

  const step = (from: typeof past, to: typeof past) => {
    const next = from.current.pop();
    if (!next) return;
    to.current.push(content);
    setContent(next);
  };

  return {
    ...content,
    version,
    /** "saved" only where nothing waits to be. */
    saving: saving === "saved" && !clean ? ("saving" as const) : saving,
    problem,
    setDocument: (document: Document) => change({ ...content, document }),
    rename: (name: string) => change({ ...content, name }),
    undo: () => step(past, future),
    redo: () => step(future, past),
    /** Save now what is not saved yet; false where that failed. */
    flush: () => (clean ? under.current : save(content)),
    /** Take what was saved elsewhere; what was typed here can be brought back with undo. */
    takeTheirs: async () => {
      const theirs = await answer(client.GET("/api/v1/workflows/{workflow_id}", { params: { path: { workflow_id: kept.id } } }));
      past.current.push(content);
      adopt(theirs);
    },
    /** Save what is here over what was saved elsewhere. */
    keepMine: async () => {
      const theirs = await answer(client.GET("/api/v1/workflows/{workflow_id}", { params: { path: { workflow_id: kept.id } } }));
      saw.current = theirs.draft_version;
      await save(content);
    },
  };
}

export type Draft = ReturnType<typeof useDraft>;
