import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useMe } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { Crossings } from "./Crossings";
import { type Mirror } from "./queries";
import { Volume } from "./Volume";

/** Everything that crossed, and how much on each day. */
export function HistoryTab({ mirror }: { mirror: Mirror }) {
  const zone = useMe().data?.timezone ?? "UTC";
  return (
    <div className="scroll fill above-2">
      <Volume mirror={mirror} zone={zone} />
      <UndoAll mirror={mirror} />
      <Crossings mirror={mirror} pair={null} zone={zone} />
    </div>
  );
}

/** Undo all that the mirror wrote, while it is off. */
function UndoAll({ mirror }: { mirror: Mirror }) {
  const queries = useQueryClient();
  const { fail, tell } = useNotices();
  const undo = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/v1/mirrors/{mirror_id}/undo", {
          params: { path: { mirror_id: mirror.id } },
          body: { since: mirror.created_at },
        }),
      ),
    onSuccess: ({ undone, kept }) => {
      tell(`${undone === 1 ? "1 write was" : `${undone} writes were`} undone.${kept.length ? ` ${kept.length} stay: ${kept[0]}` : ""}`);
      void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
    },
    onError: fail,
  });
  if (mirror.state !== "off" && mirror.state !== "stopped") {
    return <p className="quiet below-2">Each write can be undone here. To undo everything, turn the mirror off first.</p>;
  }
  return (
    <p className="below-2">
      <Button disabled={undo.isPending} onClick={() => undo.mutate()}>
        Undo everything
      </Button>{" "}
      <span className="quiet">Sets back what this mirror wrote on both sides, except what was changed since.</span>
    </p>
  );
}
