import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { reads } from "../../fields";
import { Crossings } from "./Crossings";
import type { Mirror, Row } from "./queries";
import { useTry } from "./useTry";

interface Props {
  row: Row;
  mirror: Mirror;
  zone: string;
  onClose: () => void;
}

/** A pair with all its matched fields, and what crossed of it. */
export function PairPane({ row, mirror, zone, onClose }: Props) {
  const both = row.left && row.right;
  const some = useTry(mirror.id);
  return (
    <section className="pane docked" aria-label="Pair">
      <div>
        <div className="row">
          <h2 className="grow">{row.left?.title ?? row.right?.title}</h2>
          {row.left?.link && (
            <a href={row.left.link} target="_blank" rel="noreferrer">
              Open left
            </a>
          )}
          {row.right?.link && (
            <a href={row.right.link} target="_blank" rel="noreferrer">
              Open right
            </a>
          )}
          {mirror.state === "planned" && (row.plan === "pair" || row.plan === "create") && (
            <Button disabled={some.isPending} onClick={() => some.mutate([row.id])}>
              Try item
            </Button>
          )}
          {both && <PairSteps row={row} mirror={mirror} />}
          <button className="link" onClick={onClose} aria-label="Close pair">
            ×
          </button>
        </div>
        <table aria-label="Fields of the pair">
          <colgroup>
            <col className="w-150" />
            <col />
            <col />
          </colgroup>
          <thead>
            <tr>
              <th>Field</th>
              <th>{mirror.left.name}</th>
              <th>{mirror.right.name}</th>
            </tr>
          </thead>
          <tbody>
            {mirror.matched.map((m) => {
              const ours = m.left ? reads(m.left, row.left?.values[m.left.id], zone) : "";
              const theirs = m.right ? reads(m.right, row.right?.values[m.right.id], zone) : "";
              const differs = both && row.differs.includes(m.id);
              return (
                <tr key={m.id}>
                  <td>
                    {m.left?.name ?? m.right?.name}
                    {row.held.includes(m.id) && <span className="look"> ‖ held</span>}
                    {row.open.some((one) => one.field === m.id && one.state === "drift") && (
                      <div className="quiet">Edited in {mirror[m.direction === "to_left" ? "left" : "right"].name}, does not cross.</div>
                    )}
                    {row.open.some((one) => one.field === m.id && one.state === "drift") && (
                      <div className="quiet">Edited in {mirror[m.direction === "to_left" ? "left" : "right"].name}, does not cross.</div>
                    )}
                    {row.open.some((one) => one.field === m.id && one.state === "drift") && (
                      <div className="quiet">Edited in {mirror[m.direction === "to_left" ? "left" : "right"].name}, does not cross.</div>
                    )}
                  </td>
                  <td className="wrap">{differs ? <mark>{ours || "empty"}</mark> : ours}</td>
                  <td className="wrap">{differs ? <mark>{theirs || "empty"}</mark> : theirs}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <div>
        <div className="ph">History</div>
        <Crossings mirror={mirror} pair={row.id} zone={zone} />
      </div>
    </section>
  );
}

function PairSteps({ row, mirror }: { row: Row; mirror: Mirror }) {
  const queries = useQueryClient();
  const { fail, tell } = useNotices();
  const path = { params: { path: { mirror_id: mirror.id, row_id: row.id } } };
  const done = () => {
    void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
    void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
  };
  const isHeld = row.state === "held" || row.held.length > 0;
  const hold = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/mirrors/{mirror_id}/rows/{row_id}/hold", { ...path, body: { held: !isHeld } })),
    onSuccess: done,
    onError: fail,
  });
  const separate = useMutation({
    mutationFn: () =>
      answer(
        client.DELETE("/api/v1/mirrors/{mirror_id}/rows/{row_id}", {
          params: { ...path.params, query: { planned: row.plan === "pair" } },
        }),
      ),
    onSuccess: () => {
      tell("Separated. Both items stay as they are.");
      done();
    },
    onError: fail,
  });
  return (
    <>
      {row.plan !== "pair" && (
        <Button disabled={hold.isPending} onClick={() => hold.mutate()}>
          {isHeld ? "Release pair" : "Hold pair"}
        </Button>
      )}
      <Button disabled={separate.isPending} onClick={() => separate.mutate()}>
        Separate
      </Button>
    </>
  );
}
