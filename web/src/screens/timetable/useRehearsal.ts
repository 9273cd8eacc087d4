import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { answer, client } from "../../api/client";
import type { Sample } from "../../api/queries";
import type { Document } from "./model";

/** What every line would do with each sample, computed anew as the document is edited. */
export function useRehearsal(workflow: number, document: Document, samples: Sample[] | undefined) {
  const now = useDeferredValue(document);
  return useQuery({
    queryKey: ["rehearsal", workflow, now, samples?.map((s) => [s.id, s.values])],
    queryFn: () =>
      answer(
        client.POST("/api/v1/workflows/{workflow_id}/rehearse", {
          params: { path: { workflow_id: workflow } },
          body: { document: now },
        }),
      ),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    staleTime: 60_000,
    enabled: samples !== undefined,
  });
}
