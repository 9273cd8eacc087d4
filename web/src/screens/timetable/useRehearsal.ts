import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { answer, client } from "../../api/client";
import type { Sample } from "../../api/queries";
import type { Document, Rehearsal } from "./model";

const SOON = 400; // milliseconds after which cells that are being read are asked for again

const waits = (found: Rehearsal | undefined) => Object.values(found?.cells ?? {}).some((cells) => cells.some((c) => c.state === "waiting"));

/** What every line would do with each sample, computed anew as the document is edited. `readAgain`: Find lines read anew. */
export function useRehearsal(workflow: number, document: Document, samples: Sample[] | undefined) {
  const queries = useQueryClient();
  const now = useDeferredValue(document);
  const queryKey = ["rehearsal", workflow, now, samples?.map((s) => [s.id, s.values])];
  const ask = (read_again: boolean) =>
    answer(
      client.POST("/api/v1/workflows/{workflow_id}/rehearse", {
        params: { path: { workflow_id: workflow } },
        body: { document: now, read_again },
      }),
    );
  const found = useQuery({
    queryKey,
    queryFn: () => ask(false),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    staleTime: 60_000,
    refetchInterval: (query) => (waits(query.state.data) ? SOON : false),
    enabled: samples !== undefined,
  });
  const readAgain = async () => {
    await queries.cancelQueries({ queryKey }); // one that is under way would answer with what was read before
    queries.setQueryData(queryKey, await ask(true));
  };
  return { rehearsal: found.data, readAgain: () => void readAgain() };
}
