import { Button } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answer, client, said, type Schemas } from "../../api/client";
import { useTargets } from "../../api/queries";
import { dateTime } from "../../parts/dates";
import { CatchUp } from "./CatchUp";
import { sentenceOf } from "../../lines";
import { whenOf, type Document, type Rehearsal } from "./model";

interface Props {
  workflow: number;
  document: Document;
  rehearsal: Rehearsal | undefined;
  zone: string;
}

type Outcome = Schemas["OutcomeOut"];
const WORDS: Record<Outcome["kind"], [string, string, string]> = {
  carried: ["ok", "✓", "Done"],
  look: ["look", "?", "Done with warnings"],
  passed_by: ["st", "▬", "skipped"],
  put_right: ["bad", "!", "Stopped by a problem"],
};
const STATES: Record<string, string> = {
  running: "Reading past items …",
  done: "Complete.",
  cancelled: "Stopped early. These are the results so far.",
  failed: "Failed.",
  lost: "Interrupted by a restart. Start it again.",
};

/** What this draft would have done with all past events of its source. */
export function BackcastTab({ workflow, document, zone }: Props) {
  const queries = useQueryClient();
  const path = { params: { path: { workflow_id: workflow } } };
  const key = ["backcast", workflow];
  const found = useQuery({
    queryKey: key,
    queryFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}/backcast", path)),
    refetchInterval: (query) => (query.state.data?.state === "running" ? 2_000 : false),
  }).data;
  const keep = (data: Schemas["BackcastOut"] | null) => queries.setQueryData(key, data);
  const start = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/backcast", { ...path, body: { document } })),
    onSuccess: keep,
  });
  const cancel = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/backcast/cancel", path)),
    onSuccess: keep,
  });
  const running = found?.state === "running";
  return (
    <div className="above-2">
      <div className="row below-2">
        {running ? (
          <Button onClick={() => cancel.mutate()}>Stop</Button>
        ) : (
          <Button variant="contained" disabled={!whenOf(document).container || start.isPending} onClick={() => start.mutate()}>
            {found ? "Run backcast again" : "Run backcast"}
          </Button>
        )}
        <span role="status">
          {found ? (
            <>
              <b>{found.seen.toLocaleString("en-GB")}</b> {found.seen === 1 ? "event" : "events"}
              {found.oldest && found.newest && (
                <>
                  {" "}
                  from {dateTime(found.oldest, zone)} to {dateTime(found.newest, zone)}
                </>
              )}
              {found.a_month !== null && !running && <> · about {found.a_month} a month</>} ·{" "}
              <span className="quiet">{STATES[found.state]}</span>
            </>
          ) : (
            <span className="quiet">See what this would have done with past items. Nothing is written.</span>
          )}
        </span>
      </div>
      {start.isError && <div className="note bad">{said(start.error)}</div>}
      {found?.problem && <div className="note bad">! {found.problem}</div>}
      {found && !found.same && !running && <div className="note">These results are for an earlier draft.</div>}
      {running && <progress aria-label="Reading past items" className="w-all" />}
      {found && <Outcomes workflow={workflow} document={document} outcomes={found.outcomes} seen={found.seen} />}
      <CatchUp workflow={workflow} zone={zone} ready={!!whenOf(document).container} />
      {found && <p className="quiet">{found.reach} Lookups use today’s data.</p>}
    </div>
  );
}

interface OutcomesProps {
  workflow: number;
  document: Document;
  outcomes: Outcome[];
  seen: number;
}

function Outcomes({ workflow, document, outcomes, seen }: OutcomesProps) {
  const databases = useTargets();
  const queries = useQueryClient();
  const go = useNavigate();
  const keep = useMutation({
    mutationFn: (item: string) =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/samples/keep", { params: { path: { workflow_id: workflow } }, body: { item } })),
    onSuccess: (samples, item) => {
      queries.setQueryData(["samples", workflow], samples);
      void go(`/workflows/${workflow}?column=${samples.find((s) => s.item_id === item)?.id ?? ""}`);
    },
  });
  if (outcomes.length === 0) return null;
  return (
    <table aria-label="Outcomes">
      <colgroup>
        <col className="w-84" />
        <col className="w-64" />
        <col className="half" />
        <col />
      </colgroup>
      <thead>
        <tr>
          <th>Events</th>
          <th>Share</th>
          <th>Outcome</th>
          <th>Newest items: select one to use as a sample</th>
        </tr>
      </thead>
      <tbody>
        {outcomes.map((o) => {
          const [look, mark, words] = WORDS[o.kind];
          const at = document.lines.findIndex((l) => l.id === o.line);
          const line = document.lines[at];
          const place =
            line && o.kind !== "carried"
              ? ` at line ${at + 1}, ${sentenceOf(line, undefined, databases, document).verb} ${sentenceOf(line, undefined, databases, document).object}`
              : "";
          return (
            <tr key={`${o.kind} ${o.line} ${o.sentence}`}>
              <td className="num">
                <b>{o.count.toLocaleString("en-GB")}</b>
              </td>
              <td className="num quiet">{Math.round((o.count / Math.max(seen, 1)) * 100)}%</td>
              <td className="wrap">
                <span className={look}>
                  <span className="mk">{mark}</span> {words}
                </span>
                <span className="quiet">{place}</span>
                {o.sentence && <div className="bad">{o.sentence}</div>}
              </td>
              <td className="wrap">
                {o.examples.map((e) => (
                  <button key={e.id} className="link clip block max-all" onClick={() => keep.mutate(e.id)}>
                    {e.title}
                  </button>
                ))}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
