import { useMutation } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import type { Document } from "./model";

/** Copies a line, with all that stands within it, below itself. */
export function useDuplicate(workflow: number, document: Document, take: (document: Document, line: string) => void) {
  const { fail } = useNotices();
  const copy = useMutation({
    mutationFn: (line: string) =>
      answer(
        client.POST("/api/v1/workflows/{workflow_id}/duplicate-line", {
          params: { path: { workflow_id: workflow } },
          body: { document, line },
        }),
      ),
    onSuccess: (made) => take(made.document, made.line),
    onError: fail,
  });
  return (line: string) => copy.mutate(line);
}
