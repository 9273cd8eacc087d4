import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useMe } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { day } from "../../parts/dates";
import { Crossings } from "./Crossings";
import { useVolume, type Mirror } from "./queries";

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

/** How much crossed to each side on each day, as a row of bars. */
function Volume({ mirror, zone }: { mirror: Mirror; zone: string }) {
  const days = useVolume(mirror.id).data ?? [];
  const most = Math.max(1, ...days.map((d) => d.to_left + d.to_right));
  if (days.length === 0) return null;
  return (
    <figure className="volume" aria-label="What crossed on each day">
      <figcaption>Crossed on each day, to the left and to the right</figcaption>
      <div className="bars">
        {days.map((d) => (
          <span
            key={d.day}
            title={`${day(d.day, zone)}: ${d.to_left} to ${mirror.left.name}, ${d.to_right} to ${mirror.right.name}, typically in ${d.typical ?? 0} ms`}
          >
            <i className="to-right" style={{ height: `${(d.to_right / most) * 100}%` }} />
            <i className="to-left" style={{ height: `${(d.to_left / most) * 100}%` }} />
          </span>
        ))}
      </div>
    </figure>
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
