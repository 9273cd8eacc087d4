import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { type Mirror } from "./queries";

/** Deletions and changes that wait because they were so many, decided together. */
export function DecideAll({ mirror }: { mirror: Mirror }) {
  const queries = useQueryClient();
  const { fail, tell } = useNotices();
  const waiting = mirror.asked.too_many ?? 0;
  const changes = mirror.asked.too_many_changes ?? 0;
  const decide = useMutation({
    mutationFn: (does: "delete" | "keep" | "cross") =>
      answer(client.POST("/api/v1/mirrors/{mirror_id}/decide-all", { params: { path: { mirror_id: mirror.id } }, body: { does } })),
    onSuccess: (_, does) => {
      tell({ delete: "The items are being deleted.", keep: "The items are kept.", cross: "The changes are being carried out." }[does]);
      void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
    },
    onError: fail,
  });
  if (changes > 0) {
    return (
      <div className="note bad" role="group" aria-label="Changes that wait">
        {changes} changes wait, because more than half of the items of one side were changed within a day.{" "}
        <Button disabled={decide.isPending} onClick={() => decide.mutate("cross")}>
          Let all {changes} cross
        </Button>
      </div>
    );
  }
  if (waiting === 0) return null;
  return (
    <div className="note bad" role="group" aria-label="Deletions that wait">
      {waiting} items were deleted on one side within a short time. Nothing was deleted on the other.{" "}
      <Button disabled={decide.isPending} onClick={() => decide.mutate("keep")}>
        Keep all {waiting}
      </Button>{" "}
      <Button color="error" disabled={decide.isPending} onClick={() => decide.mutate("delete")}>
        Delete all {waiting}
      </Button>
    </div>
  );
}
