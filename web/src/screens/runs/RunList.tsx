import { Button, MenuItem, Select } from "@mui/material";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { useMe, useRuns, useWorkflows } from "../../api/queries";
import { dateTime, relative, span } from "../../parts/dates";
import { RUN_STATES, RunState } from "../timetable/runState";

const took = (from: string, to: string | null) => (to ? span((new Date(to).getTime() - new Date(from).getTime()) / 1000) : "");

/** Words that are looked for in all that runs carried; Enter searches. */
function Words({ words, onSearch }: { words: string; onSearch: (words: string) => void }) {
  const [text, setText] = useState(words);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onSearch(text.trim());
      }}
    >
      <input
        className="find flush w-200"
        type="search"
        aria-label="Search run content"
        placeholder="Search run content"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
    </form>
  );
}

function Day({ name, value, onChange }: { name: string; value: string | null; onChange: (day: string) => void }) {
  return (
    <label className="quiet">
      {name} <input className="find flush w-130" type="date" value={value ?? ""} onChange={(event) => onChange(event.target.value)} />
    </label>
  );
}

/** All runs, the newest first, arriving live; narrowed by workflow, state, time and content. */
export function RunList() {
  const [params, setParams] = useSearchParams();
  const zone = useMe().data?.timezone ?? "UTC";
  const workflows = useWorkflows().data ?? [];
  const workflow = params.get("workflow");
  const state = params.get("state");
  const words = params.get("words");
  const since = params.get("since");
  const until = params.get("until");
  const runs = useRuns({
    limit: 60,
    ...(workflow && { workflow: Number(workflow) }),
    ...(state && { state }),
    ...(words && { words }),
    ...(since && { since }),
    ...(until && { until }),
  });
  const narrowed = !!(workflow || state || words || since || until);
  const all = runs.data?.pages.flatMap((p) => p.runs) ?? [];
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    setParams(next);
  };
  return (
    <main>
      <div className="row head">
        <h1 className="grow">Runs</h1>
        <Words key={words} words={words ?? ""} onSearch={(text) => set("words", text)} />
        <Day name="From" value={since} onChange={(day) => set("since", day)} />
        <Day name="To" value={until} onChange={(day) => set("until", day)} />
        <Select
          value={workflow ?? ""}
          displayEmpty
          SelectDisplayProps={{ "aria-label": "Workflow" }}
          onChange={(e) => set("workflow", e.target.value)}
        >
          <MenuItem value="">All workflows</MenuItem>
          {workflows.map((w) => (
            <MenuItem key={w.id} value={String(w.id)}>
              {w.name}
            </MenuItem>
          ))}
        </Select>
        <Select
          value={state ?? ""}
          displayEmpty
          SelectDisplayProps={{ "aria-label": "State" }}
          onChange={(e) => set("state", e.target.value)}
        >
          <MenuItem value="">All states</MenuItem>
          {Object.entries(RUN_STATES).map(([key, s]) => (
            <MenuItem key={key} value={key}>
              {s.word}
            </MenuItem>
          ))}
        </Select>
      </div>
      <div className="scroll fill">
        <table className="list">
          <colgroup>
            <col className="w-200" />
            <col className="w-200" />
            <col />
            <col className="w-130" />
            <col className="w-84" />
          </colgroup>
          <thead>
            <tr>
              <th>Received</th>
              <th>Workflow</th>
              <th>What</th>
              <th>State</th>
              <th className="num">Duration</th>
            </tr>
          </thead>
          <tbody>
            {all.map((r) => (
              <tr key={r.id}>
                <td title={relative(r.created_at)}>
                  <span className="t">{dateTime(r.created_at, zone)}</span>
                </td>
                <td>{r.workflow}</td>
                <td>
                  <Link to={`/runs/${r.id}`}>{r.title || `item ${r.item_id}`}</Link>
                  {r.kind === "try" && <span className="quiet"> · a try</span>}
                  {r.undone_at && <span className="look"> · undone</span>}
                  {r.problem && <span className="quiet"> · {r.problem}</span>}
                </td>
                <td>
                  <RunState state={r.state} />
                </td>
                <td className="num">{took(r.created_at, r.finished_at)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {runs.data && all.length === 0 && (
          <div className="empty">
            <h2>{narrowed ? (runs.hasNextPage ? "No matches in the newest runs" : "No matching runs") : "No runs yet"}</h2>
            <p>
              {narrowed && runs.hasNextPage
                ? "Older runs haven’t been searched yet."
                : "Each item a workflow processes appears here, with every line’s input and output."}
            </p>
          </div>
        )}
        {runs.hasNextPage && (
          <p className="padded">
            <Button onClick={() => void runs.fetchNextPage()} disabled={runs.isFetchingNextPage}>
              {words ? "Search older runs" : "Show older runs"}
            </Button>
          </p>
        )}
      </div>
    </main>
  );
}
