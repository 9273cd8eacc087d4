import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, type Schemas } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { useFound, type Mirror, type Row, type Side } from "./queries";
import { otherSide } from "./words";

type Plan = Schemas["PlanItemsIn"]["plan"];

/** What can be done where one side has nothing: create it, leave it out, or pair it with an item that is there. */
export function GapSteps({ row, mirror, side }: { row: Row; mirror: Mirror; side: Side }) {
  const [pairing, setPairing] = useState(false);
  const { plan } = usePlanItems(mirror.id);
  const there = mirror[side].name;
  const isPlan = mirror.state === "planned";
  const creates = row.plan === "create" || row.plan === "make";
  const step = (words: string, what: Plan) => (
    <button className="link" disabled={plan.isPending} onClick={() => plan.mutate({ rows: [row.id], plan: what })}>
      {words}
    </button>
  );
  return (
    <>
      {row.candidates.length > 0 && (
        <span className="look">{row.candidates.length === 1 ? "1 may be the same" : `${row.candidates.length} may be the same`} · </span>
      )}
      {row.why && <span className="bad">{row.why} </span>}
      {isPlan && creates && <span className="quiet">will be created in {there} · </span>}
      {isPlan && row.plan === "leave" && <span className="quiet">left out · </span>}
      {!creates && step(`create in ${there}`, "make")}
      {!creates && row.state !== "left_out" && row.plan !== "leave" && " · "}
      {row.state !== "left_out" && row.plan !== "leave" && step("leave out", "leave")}
      {" · "}
      <button className="link" onClick={() => setPairing(true)}>
        pair …
      </button>
      {pairing && <PairDialog row={row} mirror={mirror} side={side} onClose={() => setPairing(false)} />}
    </>
  );
}

export function usePlanItems(id: number) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const plan = useMutation({
    mutationFn: (body: Schemas["PlanItemsIn"]) =>
      answer(client.POST("/api/v1/mirrors/{mirror_id}/plan-items", { params: { path: { mirror_id: id } }, body })),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["mirror", id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", id] });
    },
    onError: fail,
  });
  return { plan };
}

/** Pair an item with one of the other side that is alone too: one that may be the same, or any that is found by name. */
function PairDialog({ row, mirror, side, onClose }: { row: Row; mirror: Mirror; side: Side; onClose: () => void }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const item = row[otherSide(side)];
  const [text, setText] = useState("");
  const found = useFound(mirror.id, text).data ?? [];
  const alone = found.flatMap((one) => (one[side] && !one[otherSide(side)] ? [one[side]] : []));
  const offered = text.trim().length > 1 ? alone : row.candidates;
  const pair = useMutation({
    mutationFn: (id: string) => {
      const body = side === "right" ? { left: item?.id ?? "", right: id } : { left: id, right: item?.id ?? "" };
      return answer(client.POST("/api/v1/mirrors/{mirror_id}/pairs", { params: { path: { mirror_id: mirror.id } }, body }));
    },
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
      onClose();
    },
    onError: fail,
  });
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>Pair “{item?.title}”</DialogTitle>
      <DialogContent>
        <input
          className="find"
          aria-label={`Find in ${mirror[side].name}`}
          placeholder={`Find in ${mirror[side].name}`}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <table aria-label="Items to pair with">
          <tbody>
            {offered.map((one) => (
              <tr key={one.id}>
                <td>{one.title}</td>
                <td className="num w-84">
                  <Button disabled={pair.isPending} onClick={() => pair.mutate(one.id)} aria-label={`Pair with ${one.title}`}>
                    Pair
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {offered.length === 0 && <p className="quiet">Type a name to find items of {mirror[side].name} that are in no pair.</p>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
      </DialogActions>
    </Dialog>
  );
}
