import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../api/client";
import { useNotices } from "./Notices";

/** Sign out on this device, and forget what was loaded. */
export function useSigningOut() {
  const queries = useQueryClient();
  const { fail } = useNotices();
  return useMutation({
    mutationFn: () => answer(client.POST("/api/v1/sign-out")),
    onSuccess: () => {
      queries.clear();
      void queries.refetchQueries({ queryKey: ["me"] });
      location.assign("/today");
    },
    onError: fail,
  });
}
