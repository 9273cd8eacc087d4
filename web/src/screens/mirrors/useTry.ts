import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useNotices } from "../../frame/Notices";

/** Carry out some rows of a plan, before the rest. */
export function useTry(id: number) {
  const queries = useQueryClient();
  const { fail, tell } = useNotices();
  return useMutation({
    mutationFn: (rows: string[]) =>
      answer(client.POST("/api/v1/mirrors/{mirror_id}/try", { params: { path: { mirror_id: id } }, body: { rows } })),
    onSuccess: () => {
      tell("Done. Check the items on both sides, then carry out the plan.");
      void queries.invalidateQueries({ queryKey: ["mirror", id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", id] });
    },
    onError: fail,
  });
}
