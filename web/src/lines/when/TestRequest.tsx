import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { useNotices } from "../../frame/Notices";
import { useLine } from "../../screens/timetable/lineContext";

interface Props {
  workflow: number;
  isOn: boolean;
  /** A body that fits what is declared. */
  example: string;
}

/** A request that is written here, sent to the workflow's own address, with what the address answers. */
export function TestRequest({ workflow, isOn, example }: Props) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const { flush } = useLine();
  const [open, setOpen] = useState(false);
  const [body, setBody] = useState("");
  const [query, setQuery] = useState("");
  const [headers, setHeaders] = useState("");
  const send = useMutation({
    mutationFn: async () => {
      if (!(await flush())) throw new Error("The draft couldn’t be saved, so nothing was sent.");
      return answer(
        client.POST("/api/v1/workflows/{workflow_id}/address/test", {
          params: { path: { workflow_id: workflow } },
          body: { body, query, headers: named(headers) },
        }),
      );
    },
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["workflows", workflow] }),
    onError: fail,
  });
  if (!open)
    return (
      <button
        className="link"
        onClick={() => {
          setBody(example);
          setOpen(true);
        }}
      >
        Send a test request
      </button>
    );
  const told = send.data;
  const missed = told && Array.isArray(told.answer.not_declared) ? told.answer.not_declared.map(String) : [];
  return (
    <section className="above-2" aria-label="Test request">
      <div className="cond labelled">
        <label htmlFor="test-body">Body</label>
        <textarea id="test-body" className="find flush" rows={6} value={body} onChange={(event) => setBody(event.target.value)} />
        <span />
        <label htmlFor="test-query">Query</label>
        <input
          id="test-query"
          className="find flush"
          placeholder="source=form&page=2"
          value={query}
          onChange={(event) => setQuery(event.target.value)}
        />
        <span />
        <label htmlFor="test-headers">Headers</label>
        <textarea
          id="test-headers"
          className="find flush"
          rows={2}
          placeholder="x-event: order.paid"
          value={headers}
          onChange={(event) => setHeaders(event.target.value)}
        />
        <span className="quiet">one in a line</span>
      </div>
      <div className="row wrapped">
        <Button variant="contained" onClick={() => send.mutate()} disabled={send.isPending}>
          {send.isPending ? "Sending …" : "Send"}
        </Button>
        <Button onClick={() => setOpen(false)}>Close</Button>
        <span className="quiet">
          {isOn ? "The workflow is on, so this will run it." : "The workflow is off, so this becomes a sample."} Secret and signature are
          added.
        </span>
      </div>
      {told && (
        <div className={told.status < 300 ? "note" : "note bad"} role="status">
          <b>Answer {told.status}</b>
          {missed.length > 0 && <> · not declared: {missed.join(", ")}</>}
          <pre className="pre">{JSON.stringify(told.answer, null, 2)}</pre>
        </div>
      )}
    </section>
  );
}

/** Headers as they are written, one in a line. */
function named(text: string): Record<string, string> {
  const pairs = text.split("\n").flatMap((line): [string, string][] => {
    const at = line.indexOf(":");
    return at > 0 ? [[line.slice(0, at).trim(), line.slice(at + 1).trim()]] : [];
  });
  return Object.fromEntries(pairs);
}
