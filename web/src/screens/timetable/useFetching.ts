import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { answer, client, said } from "../../api/client";
import { useMe, type Sample } from "../../api/queries";
import { whenOf, type Document } from "./model";

/** Where a workflow's items are, once that is chosen; none for requests, which come by themselves. */
function placeOf({ app, event, connection, container, own }: ReturnType<typeof whenOf>): string | null {
  if (!own) return connection && container ? `${app} ${event} ${connection} ${container}` : null;
  if (own.kind === "schedule") return JSON.stringify(own);
  return own.kind === "record" && own.database !== null ? `record ${own.database} ${own.event}` : null;
}

const SOON = 500; // milliseconds after which a place that was chosen is read
const EVERY = 1_000; // milliseconds between looks while waiting for the next item

/** Getting real samples: the newest, or the next one, which somebody is about to make. */
export function useFetching(workflow: number, document: Document, count: number, samples: Sample[] | undefined) {
  const queries = useQueryClient();
  const [waiting, setWaiting] = useState(false);
  const [problem, setProblem] = useState("");
  const path = { params: { path: { workflow_id: workflow } } };

  const fetch = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/samples/fetch", { ...path, body: { document, count } })),
    onSuccess: (samples) => {
      queries.setQueryData(["samples", workflow], samples);
      void queries.invalidateQueries({ queryKey: ["workflow", workflow], exact: true }); // its runs a month are told from them
      setProblem("");
    },
    onError: (error) => setProblem(said(error)),
  });

  // Once a place is chosen, or chosen anew, its samples are fetched without being asked for.
  const place = placeOf(whenOf(document));
  const fetched = useRef<string | null | undefined>(undefined); // undefined until the kept samples are known
  const { mutate } = fetch;
  const me = useMe().data;
  const mayFetch = !!me && me.role !== "viewer";
  useEffect(() => {
    if (samples === undefined || !mayFetch) return undefined;
    const before = fetched.current;
    if (before === undefined && (samples.length > 0 || !place)) fetched.current = place;
    if (!place || fetched.current === place) return undefined;
    const soon = setTimeout(() => {
      fetched.current = place;
      mutate();
    }, SOON);
    return () => clearTimeout(soon);
  }, [place, samples, mayFetch, mutate]);

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

  const nothing = fetch.data?.length === 0 && !samples?.length;
  return { fetch: () => fetch.mutate(), fetching: fetch.isPending, waiting, setWaiting, problem, nothing };
}
