import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { Counts } from "./Counts";
import { PairTable } from "./PairTable";
import { useFirstRows, type Chosen, type Mirror } from "./queries";
import { useTry } from "./useTry";
import { stageWords } from "./words";

const KINDS: [key: string, word: (mirror: Mirror) => string, chosen: Chosen][] = [
  ["pair", () => "paired", { states: [], plan: "pair" }],
  ["create_right", (m) => `created in ${m.right.name}`, { states: [], plan: "create", side: "left" }],
  ["create_left", (m) => `created in ${m.left.name}`, { states: [], plan: "create", side: "right" }],
  ["doubt_left", () => "in doubt, left", { states: [], plan: "doubt", side: "left" }],
  ["doubt_right", () => "in doubt, right", { states: [], plan: "doubt", side: "right" }],
  ["leave_left", () => "left out, left", { states: [], plan: "leave", side: "left" }],
  ["leave_right", () => "left out, right", { states: [], plan: "leave", side: "right" }],
];
const TRIED = 10;

/** What a mirror would do first, read before it is carried out: each count opens its list, in which it can be corrected. */
export function Plan({ mirror, stamp }: { mirror: Mirror; stamp: number }) {
  const [kind, setKind] = useState("pair");
  if (mirror.state === "planning") {
    return (
      <div className="empty">
        <h2>{stageWords(mirror) || "Waiting to read both sides"}</h2>
        <p>Nothing is written. You can leave this page; the plan continues.</p>
      </div>
    );
  }
  const counts = KINDS.filter(([key], n) => n < 3 || (mirror.plan[key] ?? 0) > 0).map(([key, word]) => ({
    key,
    word: word(mirror),
    number: mirror.plan[key] ?? 0,
    look: key.startsWith("doubt") ? "look" : undefined,
  }));
  const chosen = KINDS.find(([key]) => key === kind)?.[2] ?? { states: [] };
  return (
    <>
      <div className="row counting">
        <div className="grow">
          <Counts label="The plan" counts={counts} chosen={kind} onChoose={setKind} />
        </div>
        <PlanSteps mirror={mirror} chosen={chosen} />
      </div>
      <p className="quiet below-2">Nothing has been written yet. Open each list, correct what is wrong, then carry out the plan.</p>
      <PairTable mirror={mirror} chosen={chosen} total={mirror.plan[kind] ?? 0} stamp={stamp} />
    </>
  );
}

/** Carry out the plan, or the first few rows of what is shown. */
function PlanSteps({ mirror, chosen }: { mirror: Mirror; chosen: Chosen }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const path = { params: { path: { mirror_id: mirror.id } } };
  const rows = useFirstRows(mirror.id, chosen).data ?? [];
  const done = () => {
    void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
    void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
  };
  const some = useTry(mirror.id);
  const carry = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/mirrors/{mirror_id}/carry-out", path)),
    onSuccess: done,
    onError: fail,
  });
  const number = Math.min(TRIED, rows.length);
  return (
    <>
      <Button disabled={some.isPending || number === 0} onClick={() => some.mutate(rows.slice(0, TRIED).map((row) => row.id))}>
        Try {number === 1 ? "1 item" : `${number} items`}
      </Button>
      <Button variant="contained" disabled={carry.isPending} onClick={() => carry.mutate()}>
        Carry out plan
      </Button>
    </>
  );
}
