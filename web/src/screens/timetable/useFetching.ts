import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { answer, client, said } from "../../api/client";
import type { Document } from "./model";

const EVERY = 1_000; // milliseconds between looks while waiting for the next item

/** Getting real samples: the newest, or the next one, which somebody is about to make. */
export function useFetching(workflow: number, document: Document, count: number) {
  const queries = useQueryClient();
  const [waiting, setWaiting] = useState(false);
  const [problem, setProblem] = useState("");
  const path = { params: { path: { workflow_id: workflow } } };

  const fetch = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/samples/fetch", { ...path, body: { document, count } })),
    onSuccess: (samples) => {
      queries.setQueryData(["samples", workflow], samples);
      void queries.invalidateQueries({ queryKey: ["workflow", workflow], exact: true }); // its runs a month are told from them
      setProblem(samples.length ? "" : "There is nothing in there yet. Make one item, or wait for the next.");
    },
    onError: (error) => setProblem(said(error)),
  });

  const latest = useRef(document); // an edit meanwhile must not begin the waiting anew
  useEffect(() => {
    latest.current = document;
  });
  useEffect(() => {
    if (!waiting) return undefined;
    let stopped = false;
    const look = async (after: string | null): Promise<void> => {
      if (stopped) return;
      try {
        const told = await answer(
          client.POST("/api/v1/workflows/{workflow_id}/samples/next", {
            params: { path: { workflow_id: workflow } },
            body: { document: latest.current, after },
          }),
        );
        if (told.arrived > 0) {
          await queries.invalidateQueries({ queryKey: ["samples", workflow] });
          setWaiting(false);
          return;
        }
        setTimeout(() => void look(told.cursor), EVERY);
      } catch (error) {
        setProblem(said(error));
        setWaiting(false);
      }
    };
    void look(null);
    return () => {
      stopped = true;
    };
  }, [waiting, workflow, queries]);

  return { fetch: () => fetch.mutate(), fetching: fetch.isPending, waiting, setWaiting, problem };
}
