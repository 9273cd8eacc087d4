import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";
import { useNotices } from "../../frame/Notices";

export type Kind = Schemas["TrashedOut"]["kind"];

/** What was deleted, the newest first. */
export const useTrash = (kind: Kind | undefined) =>
  useInfiniteQuery({
    queryKey: ["trash", kind ?? "all"],
    queryFn: ({ pageParam }) => answer(client.GET("/api/v1/trash", { params: { query: { kind, before: pageParam, limit: 100 } } })),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });

/** Brings back what was deleted, by the numbers of its entries. */
export function useRestoring(onDone?: () => void) {
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  return useMutation({
    mutationFn: (entries: number[]) => answer(client.POST("/api/v1/trash/restore", { body: { entries } })),
    onSuccess: (back) => {
      void queries.invalidateQueries();
      tell(back.length === 1 ? "Restored." : `${back.length} items restored.`);
      onDone?.();
    },
    onError: fail,
  });
}
