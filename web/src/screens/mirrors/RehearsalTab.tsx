import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useMe } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { dateTime } from "../../parts/dates";
import { Changed } from "./Crossings";
import { useRehearsal, type Mirror, type Would } from "./queries";
import { stateOf } from "./words";

const WOULD: Record<string, string> = { create: "Create", update: "Edit", delete: "Delete", restore: "Restore", comment: "Comment" };
const WAITS: Record<string, string> = {
  asked: "You are asked",
  conflict: "Conflict",
  refused: "Refused",
  no_counterpart: "No counterpart",
  waits: "Waits",
};

const TO_DO: Record<string, string> = {
  create: "to create",
  update: "to edit",
  delete: "to delete",
  restore: "to restore",
  comment: "to add",
};
const WAITING: Record<string, [one: string, several: string]> = {
  asked: ["question", "questions"],
  conflict: ["conflict", "conflicts"],
  refused: ["refused", "refused"],
  no_counterpart: ["without a counterpart", "without a counterpart"],
  waits: ["waiting", "waiting"],
};

/** What would cross now, found without writing. */
export function RehearsalTab({ mirror }: { mirror: Mirror }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const report = useRehearsal(mirror.id).data;
  const zone = useMe().data?.timezone ?? "UTC";
  const begin = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/mirrors/{mirror_id}/rehearsal", { params: { path: { mirror_id: mirror.id } } })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] }),
    onError: fail,
  });
  return (
    <div className="scroll fill above-2">
      <div className="row below-2">
        <Button disabled={begin.isPending || !!mirror.stage} onClick={() => begin.mutate()}>
          Rehearse now
        </Button>
        <span className="quiet">Reads both sides and shows what would cross. Nothing is written.</span>
      </div>
      {report?.problem && <div className="note bad">{report.problem}</div>}
      {report && !report.problem && (
        <>
          <p>
            <b>{total(report.counts, mirror)}</b>{" "}
            <span className="quiet">
              Rehearsed {dateTime(report.ended_at, zone)}: {report.left.toLocaleString("en-GB")} items of {mirror.left.name} and{" "}
              {report.right.toLocaleString("en-GB")} of {mirror.right.name} were read.
            </span>
          </p>
          {report.named.length > 0 && <Named found={report.named} mirror={mirror} zone={zone} />}
        </>
      )}
    </div>
  );
}

/** How much would be done on each side, as a sentence. */
function total(counts: Record<string, number>, mirror: Mirror): string {
  const said = Object.entries(counts).map(([of, n]) => {
    const [comes = "", side] = of.split(/_(?=left$|right$)/);
    if (side !== "left" && side !== "right") return `${n} ${n === 1 ? WAITING[comes]?.[0] : WAITING[comes]?.[1]}`;
    const what = comes === "comment" ? "comment" : "item";
    return `${n} ${n === 1 ? what : `${what}s`} ${TO_DO[comes]} in ${mirror[side].name}`;
  });
  return said.length === 0 ? "Nothing would cross." : `${said.join(", ")}.`;
}

function Named({ found, mirror, zone }: { found: Would[]; mirror: Mirror; zone: string }) {
  return (
    <ul className="crossings would above" aria-label="What would cross">
      {found.map((one, n) => {
        const [mark, look] = stateOf(one.comes);
        return (
          <li key={n}>
            {one.comes in WOULD ? (
              <span>
                <b>{WOULD[one.comes]}</b> in {mirror[one.side].name}
              </span>
            ) : (
              <span>
                <span className={`state ${look}`}>
                  {mark} {WAITS[one.comes]}
                </span>
              </span>
            )}
            <span className="what">
              {one.title}
              {one.comes === "update" && <Changed of={one} mirror={mirror} zone={zone} />}
            </span>
          </li>
        );
      })}
    </ul>
  );
}
