import { Button } from "@mui/material";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, client, said, type Schemas } from "../../api/client";
import { relative } from "../../parts/dates";
import { CatchUpProgress } from "./CatchUpProgress";
import { columnTime } from "./model";

type Past = Schemas["PastItem"];
type KnownBy = Schemas["KnownBy"];
type Recognises = Record<string, string[]>;

const STATES: Record<Past["state"], [look: string, mark: string, words: string]> = {
  new: ["ok", "+", "New"],
  there: ["st", "=", "Already exists"],
  passed_by: ["st", "▬", "Would be skipped"],
  put_right: ["bad", "!", "has a problem"],
  carried: ["st", "●", "Already run"],
  failed: ["bad", "!", "failed"],
  tried: ["look", "?", "Tried"],
};

interface Props {
  workflow: number;
  zone: string;
  ready: boolean;
}

/** Past items of the source, chosen and carried for real; what is there already is recognised. */
export function CatchUp({ workflow, zone, ready }: Props) {
  const queries = useQueryClient();
  const path = { params: { path: { workflow_id: workflow } } };
  const latest = useQuery({
    queryKey: ["workflow", workflow, "catch-up"],
    queryFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}/catch-up", path)),
    refetchInterval: (query) => (query.state.data?.state === "running" ? 1_000 : false),
  }).data;
  const [open, setOpen] = useState(false);
  const [recognises, setRecognises] = useState<Recognises | null>(null);
  const [chosen, setChosen] = useState<Record<string, boolean>>({});
  const past = useInfiniteQuery({
    queryKey: ["past", workflow, recognises, latest?.ended_at, latest?.state],
    queryFn: ({ pageParam }) =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/past", { ...path, body: { recognises: recognises ?? {}, before: pageParam } })),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.next,
    enabled: open,
    retry: false,
    placeholderData: (before) => before,
  });
  const items = past.data?.pages.flatMap((p) => p.items) ?? [];
  const knownBy = past.data?.pages[0]?.known_by ?? [];
  const by: Recognises = recognises ?? Object.fromEntries(knownBy.map((k) => [k.line, k.proposed]));
  const isTaken = (item: Past) => item.state === "carried" || item.state === "failed";
  const isChosen = (item: Past) => (chosen[item.id] ?? item.state === "new") && !isTaken(item);
  const taken = items.filter(isChosen);
  const start = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/v1/workflows/{workflow_id}/catch-up", {
          ...path,
          body: { items: taken.map((i) => i.id).reverse(), recognises: by },
        }),
      ),
    onSuccess: (made) => {
      queries.setQueryData(["workflow", workflow, "catch-up"], made);
      setOpen(false);
      setChosen({});
    },
  });
  const busy = latest?.state === "running" || latest?.state === "paused";
  return (
    <section aria-label="Catch up" className="above-3">
      <h2>Catch up</h2>
      {latest && <CatchUpProgress workflow={workflow} latest={latest} />}
      {!open && !busy && (
        <div className="row">
          <Button disabled={!ready} onClick={() => setOpen(true)}>
            Choose past items to process
          </Button>
          <span className="quiet">They run alongside new items, and can be undone together.</span>
        </div>
      )}
      {open && (
        <>
          {past.error && <div className="note bad">{said(past.error)}</div>}
          <KnownChoice known={knownBy} by={by} onChange={setRecognises} />
          <div className="scroll tall">
            <table className="list" aria-label="Past items">
              <colgroup>
                <col className="w-40" />
                <col className="w-130" />
                <col />
                <col className="w-220" />
              </colgroup>
              <tbody>
                {items.map((item) => {
                  const [look, mark, words] = STATES[item.state];
                  return (
                    <tr key={item.id}>
                      <td>
                        <input
                          type="checkbox"
                          aria-label={`Process ${item.title}`}
                          disabled={isTaken(item)}
                          checked={isChosen(item)}
                          onChange={(event) => setChosen({ ...chosen, [item.id]: event.target.checked })}
                        />
                      </td>
                      <td className="t" title={relative(item.at)}>
                        {columnTime(item.at, zone)}
                      </td>
                      <td>{item.title}</td>
                      <td className={look}>
                        <span className="mk">{mark}</span>
                        {words} {item.state === "failed" && item.run !== null && <Link to={`/runs/${item.run}`}>Open run</Link>}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </div>
          {start.error && <div className="note bad">{said(start.error)}</div>}
          <div className="row flush around-2">
            <Button variant="contained" disabled={taken.length === 0 || start.isPending} onClick={() => start.mutate()}>
              Process {taken.length} {taken.length === 1 ? "item" : "items"}
            </Button>
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            {past.hasNextPage && (
              <button className="link" onClick={() => void past.fetchNextPage()}>
                Show older items
              </button>
            )}
            <button className="link" onClick={() => setChosen(Object.fromEntries(items.map((i) => [i.id, true])))}>
              Select all
            </button>
            <button className="link" onClick={() => setChosen(Object.fromEntries(items.map((i) => [i.id, false])))}>
              Clear selection
            </button>
          </div>
        </>
      )}
    </section>
  );
}

/** By which fields each line that adds records knows what is there. */
function KnownChoice({ known, by, onChange }: { known: KnownBy[]; by: Recognises; onChange: (by: Recognises) => void }) {
  return known.map((k) => (
    <p key={k.line} className="row wrapped flush around-1">
      <span>Match existing records in {k.database} by</span>
      {k.fields.map((f) => {
        const on = (by[k.line] ?? []).includes(f.id);
        const next = on ? (by[k.line] ?? []).filter((id) => id !== f.id) : [...(by[k.line] ?? []), f.id];
        return (
          <label key={f.id}>
            <input type="checkbox" checked={on} onChange={() => onChange({ ...by, [k.line]: next })} /> {f.name}
          </label>
        );
      })}
    </p>
  ));
}
