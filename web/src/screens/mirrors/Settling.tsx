import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said, type Schemas } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { reads } from "../../fields";
import { FieldEditor } from "../../fields/FieldEditor";
import { dateTime } from "../../parts/dates";
import { OptionForAll } from "./OptionForAll";
import type { Mirror, OpenField, Row, RowItem } from "./queries";
import { asking } from "./words";

interface Props {
  row: Row;
  mirror: Mirror;
  zone: string;
}

/** What of a row only a person can settle, in the row itself: each field that both sides edited, and what became of the whole. */
export function Settling({ row, mirror, zone }: Props) {
  const conflicts = row.open.filter((one) => one.state === "conflict" && one.key);
  const others = row.open.filter((one) => one.state === "no_counterpart" || one.state === "unreadable");
  if (conflicts.length === 0 && others.length === 0 && row.refused.length === 0 && !row.asks) return null;
  return (
    <div role="row">
      <div className="settling" role="gridcell">
        {conflicts.map((one) => (
          <Conflict key={`${one.field} ${one.key}`} open={one} row={row} mirror={mirror} zone={zone} />
        ))}
        {others.map((one) => (
          <div key={one.field} className="row">
            <b>
              {nameOf(mirror, one.field)} {one.state === "unreadable" ? "can’t be read." : "has no counterpart on the other side."}
            </b>
            <span className="quiet">The other fields cross.</span>
            {one.state === "no_counterpart" && <OptionForAll mirror={mirror} field={one.field} />}
          </div>
        ))}
        {row.refused.map((field) => (
          <div key={field} className="row">
            <b>{nameOf(mirror, field)} was refused by the other side.</b>
            <span className="quiet">The other fields cross. Edit it on either side to try again.</span>
          </div>
        ))}
        {row.asks && <Asked row={row} mirror={mirror} />}
      </div>
    </div>
  );
}

const nameOf = (mirror: Mirror, id: string) => mirror.matched.find((m) => m.id === id)?.left?.name ?? "A field";

function Conflict({ open, row, mirror, zone }: Props & { open: OpenField }) {
  const queries = useQueryClient();
  const { tell } = useNotices();
  const [always, setAlways] = useState(false);
  const [editing, setEditing] = useState(false);
  const matched = mirror.matched.find((m) => m.id === open.field);
  const settle = useMutation({
    mutationFn: (body: Pick<Schemas["SettleIn"], "take" | "value">) =>
      answer(
        client.POST("/api/v1/mirrors/{mirror_id}/rows/{row_id}/settle", {
          params: { path: { mirror_id: mirror.id, row_id: row.id } },
          body: { field: open.field, key: open.key ?? "", always, ...body },
        }),
      ),
    onSuccess: () => {
      tell("Settled. Both sides are the same now.");
      void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
      if (always) void queries.invalidateQueries({ queryKey: ["mirror-set-up", mirror.id] });
    },
  });
  if (!matched?.left || !matched.right) return null;
  const ours = shorten(reads(matched.left, row.left?.values[matched.left.id], zone));
  const theirs = shorten(reads(matched.right, row.right?.values[matched.right.id], zone));
  const was = open.was === null ? null : shorten(reads(matched.left, open.was, zone));
  return (
    <div role="group" aria-label={`Conflict in ${matched.left.name}`}>
      <div className="row wrapped">
        <b>{was === null ? `${matched.left.name} differs.` : `${matched.left.name} was edited on both sides.`}</b>
        <Button disabled={settle.isPending} onClick={() => settle.mutate({ take: "left", value: null })}>
          ← Keep {ours || "empty"}
        </Button>
        <Button disabled={settle.isPending} onClick={() => settle.mutate({ take: "right", value: null })}>
          Keep {theirs || "empty"} →
        </Button>
        {editing ? (
          <span className="editing">
            <FieldEditor
              field={matched.left}
              value={row.left?.values[matched.left.id]}
              zone={zone}
              onDone={(value) => {
                setEditing(false);
                if (value !== undefined) settle.mutate({ take: null, value });
              }}
            />
          </span>
        ) : (
          <Button disabled={settle.isPending} onClick={() => setEditing(true)}>
            Edit …
          </Button>
        )}
        <label className="quiet">
          <input type="checkbox" checked={always} onChange={(event) => setAlways(event.target.checked)} /> always for {matched.left.name}
        </label>
      </div>
      <div className="quiet told-who">
        {was !== null && <>Was {was}. </>}
        <Who item={row.left} side={mirror.left.name} zone={zone} /> <Who item={row.right} side={mirror.right.name} zone={zone} />
      </div>
      {settle.error && <div className="bad">{said(settle.error)}</div>}
    </div>
  );
}

function Who({ item, side, zone }: { item: RowItem | null; side: string; zone: string }) {
  if (!item?.changed_at) return null;
  return (
    <>
      {side}: last changed {dateTime(item.changed_at, zone)}
      {item.changed_by && ` by ${item.changed_by}`}.
    </>
  );
}

const shorten = (text: string) => (text.length > 40 ? `${text.slice(0, 38)} …` : text);

/** A pair of which one item is gone: what becomes of the other. */
function Asked({ row, mirror }: { row: Row; mirror: Mirror }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const decide = useMutation({
    mutationFn: (does: Schemas["DecideIn"]["does"]) =>
      answer(
        client.POST("/api/v1/mirrors/{mirror_id}/rows/{row_id}/decide", {
          params: { path: { mirror_id: mirror.id, row_id: row.id } },
          body: { does },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
      void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
    },
    onError: fail,
  });
  return (
    <div className="row wrapped" role="group" aria-label="Deleted on one side">
      <b>{asking(row, mirror)}</b>
      {row.asks === "too_many_changes" ? (
        <>
          <Button disabled={decide.isPending} onClick={() => decide.mutate("cross")}>
            Let it cross
          </Button>
          <Button disabled={decide.isPending} onClick={() => decide.mutate("keep")}>
            Hold pair
          </Button>
        </>
      ) : (
        <>
          <Button disabled={decide.isPending} onClick={() => decide.mutate("keep")}>
            Keep the other
          </Button>
          <Button disabled={decide.isPending} onClick={() => decide.mutate("create")}>
            Create it again
          </Button>
          <Button color="error" disabled={decide.isPending} onClick={() => decide.mutate("delete")}>
            Delete the other
          </Button>
        </>
      )}
    </div>
  );
}
