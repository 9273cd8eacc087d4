import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { RecordLink } from "../runs/RecordLink";
import { answer, client, Problem, said, type Schemas } from "../../api/client";
import { useMe, type Need, useTypeOf } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { dateTime, relative } from "../../parts/dates";

type Answer = Schemas["AnswerIn"];

/** A question of a run, answered in its place. */
export function Question({ need }: { need: Need }) {
  const queries = useQueryClient();
  const { tell } = useNotices();
  const zone = useMe().data?.timezone ?? "UTC";
  const [edits, setEdits] = useState<Record<string, string>>({});
  const give = useMutation({
    mutationFn: (body: Answer) => answer(client.POST("/api/v1/needs/{question_id}", { params: { path: { question_id: need.id } }, body })),
    onSuccess: () => {
      tell("Answered. The run continues.");
      void queries.invalidateQueries({ queryKey: ["needs"] });
      void queries.invalidateQueries({ queryKey: ["runs"] });
    },
  });
  const wrong = (give.error instanceof Problem ? give.error.more.fields : undefined) as Record<string, string> | undefined;
  const say = (kind: Answer["answer"], record: number | string | null = null) => give.mutate({ answer: kind, record, values: edits });
  return (
    <section className="question" aria-label={need.question}>
      <div className="row">
        <h2 className="grow">{need.question}</h2>
        <span className="quiet t" title={dateTime(need.asked_at, zone)}>
          {relative(need.asked_at)}
        </span>
      </div>
      <p className="sub">
        <Link to={`/workflows/${need.workflow_id}/runs?column=${need.run_id}`}>{need.workflow}</Link> ·{" "}
        <Link to={`/runs/${need.run_id}`}>{need.title || "the run"}</Link>
        {need.link && (
          <>
            {" "}
            ·{" "}
            <a href={need.link} target="_blank" rel="noreferrer">
              Open item
            </a>
          </>
        )}
      </p>
      {need.values.length > 0 && (
        <dl className="pairs">
          {need.values.map((value) => (
            <Value
              key={value.key ?? value.name}
              value={value}
              edited={value.key ? edits[value.key] : undefined}
              problem={wrong?.[value.key ?? ""]}
              edit={(text) => value.key && setEdits({ ...edits, [value.key]: text })}
            />
          ))}
        </dl>
      )}
      {need.kind === "which" && (
        <table aria-label="Records that match">
          <colgroup>
            <col className="w-240" />
            <col />
            <col className="w-130" />
          </colgroup>
          <tbody>
            {need.candidates.map((c) => (
              <tr key={c.record}>
                <td>
                  <RecordLink of={{ database: need.database ?? 0, database_name: "", record: c.record, link: c.link }}>
                    {c.title}
                  </RecordLink>
                </td>
                <td className="quiet">{c.said}</td>
                <td>
                  <Button onClick={() => say("record", c.record)} disabled={give.isPending} aria-label={`It is ${c.title}, ${c.said}`}>
                    Choose
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {give.error && !wrong && <div className="note bad">{said(give.error)}</div>}
      <div className="row above-2">
        {need.kind === "doubt" ? (
          <>
            <Button onClick={() => say("arrived")} disabled={give.isPending}>
              It arrived, continue
            </Button>
            <Button onClick={() => say("again")} disabled={give.isPending}>
              Not received: resend
            </Button>
            <Button onClick={() => say("stop")} disabled={give.isPending}>
              Stop run
            </Button>
          </>
        ) : need.kind === "approval" ? (
          <>
            <Button variant="contained" onClick={() => say("yes")} disabled={give.isPending}>
              Yes, continue
            </Button>
            <Button onClick={() => say("no")} disabled={give.isPending}>
              {need.no === "go_on" ? "No" : "No, skip"}
            </Button>
          </>
        ) : (
          <>
            <Button onClick={() => say("all")} disabled={give.isPending}>
              Update all {need.matching}
            </Button>
            <Button onClick={() => say("new")} disabled={give.isPending}>
              None of these, add a new record
            </Button>
          </>
        )}
      </div>
    </section>
  );
}

interface ValueProps {
  value: Need["values"][number];
  edited: string | undefined;
  problem: string | undefined;
  edit: (text: string) => void;
}

/** A value that is shown with a question; those of an approval can be edited. */
function Value({ value, edited, problem, edit }: ValueProps) {
  const text = edited ?? value.text;
  const typeOf = useTypeOf();
  return (
    <>
      <dt>{value.name}</dt>
      <dd>
        {!value.key ? (
          text || <i className="quiet">empty</i>
        ) : typeOf(value.type ?? undefined)?.is_long ? (
          <textarea className="find" rows={5} aria-label={value.name} value={text} onChange={(event) => edit(event.target.value)} />
        ) : (
          <input className="find max-380" aria-label={value.name} value={text} onChange={(event) => edit(event.target.value)} />
        )}
        {problem && <div className="bad">! {problem}</div>}
      </dd>
    </>
  );
}
