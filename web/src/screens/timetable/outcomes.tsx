import type { ReactNode } from "react";
import { Link } from "react-router";
import { useMe, type Run } from "../../api/queries";
import { dateTime } from "../../parts/dates";
import { SavedOutcome, type Saved } from "./SavedOutcome";

const OUTCOMES: Record<string, ReactNode> = {
  in: (
    <>
      <span className="mk ok">●</span>in
    </>
  ),
  goes_on: (
    <>
      <span className="mk ok">✓</span>continued
    </>
  ),
  passed_by: (
    <span className="st">
      <span className="mk">▬</span>skipped
    </span>
  ),
  fits: (
    <>
      <span className="mk ok">=</span>values
    </>
  ),
  found_none: (
    <span className="st">
      <span className="mk">◇</span>none found
    </span>
  ),
  waited: (
    <>
      <span className="mk ok">◕</span>waited
    </>
  ),
  left: (
    <span className="st">
      <span className="mk">▬</span>skipped the rest
    </span>
  ),
  taken: (
    <>
      <span className="mk ok">↳</span>this branch
    </>
  ),
  not_taken: <span className="quiet">·</span>,
  skipped: <span className="quiet">not run</span>,
  failed: (
    <span className="bad">
      <span className="mk">!</span>failed
    </span>
  ),
};

const WRITTEN: Record<string, { mark: string; word: string; look: string }> = {
  added: { mark: "+", word: "", look: "ok" },
  updated: { mark: "≠", word: "updated", look: "ok" },
  unchanged: { mark: "=", word: "unchanged:", look: "st" },
  there: { mark: "=", word: "already exists:", look: "st" },
  deleted: { mark: "×", word: "deleted", look: "st" },
};

function Rests({ until }: { until: string }) {
  const zone = useMe().data?.timezone ?? "UTC";
  return (
    <>
      <span className="mk look">◔</span>waits until
      <br />
      <span className="quiet">{dateTime(until, zone)}</span>
    </>
  );
}

interface WebOutput {
  method: string;
  address: string;
  attempt: number;
  status?: number;
}

/** A web request: sent, or about to be. */
function WebOutcome({ outcome, output }: { outcome: string; output: WebOutput }) {
  const host = output.address.replace(/^https?:\/\//, "").split("/")[0];
  if (outcome === "sent")
    return (
      <span className="clip">
        <span className="mk ok">⇗</span>
        {output.status ? `${output.status} from` : "arrived at"} {host}
      </span>
    );
  return (
    <span className="clip">
      <span className="mk look">◌</span>
      {outcome === "sending" ? "being sent to" : `attempt ${output.attempt} to`} {host}
    </span>
  );
}

/** What a line of a kind that another package brings says of itself. */
function Told({ outcome, output }: { outcome: string; output: unknown }) {
  return (
    <span className="clip">
      <span className="mk ok">✓</span>
      {(output as { said?: string } | null)?.said || outcome}
    </span>
  );
}

/** What a line did in a run. */
export function OutcomeCell({ outcome, output }: { outcome: string; output: unknown }): ReactNode {
  if (outcome === "found") {
    const { count, title: name } = output as { count: number; title: string };
    return (
      <span className="clip">
        <span className="mk ok">◆</span>
        {count === 1 ? name : `${count} found: ${name}`}
      </span>
    );
  }
  if (outcome === "repeating" || outcome === "repeated") {
    const { done, of } = output as { done: number; of: number };
    return (
      <span className={done < of ? "look" : ""}>
        <span className={`mk ${done < of ? "look" : "ok"}`}>≡</span>
        {done} of {of}
      </span>
    );
  }
  if (outcome === "stops") {
    return (
      <span className="st clip">
        <span className="mk">■</span>
        {(output as { said: string }).said}
      </span>
    );
  }
  const way = outcome === "goes_on" ? (output as { way?: string } | null)?.way : undefined;
  if (way) {
    return (
      <>
        <span className="mk ok">✓</span>
        {way}
      </>
    );
  }
  if (outcome === "asks") {
    return (
      <>
        <span className="mk look">?</span>
        <Link to="/needs">asks you</Link>
      </>
    );
  }
  if (outcome === "answered") {
    const { approved, by } = output as { approved: boolean; by: string };
    return (
      <span className={approved ? "" : "st"}>
        <span className={`mk ${approved ? "ok" : ""}`}>{approved ? "✓" : "▬"}</span>
        {approved ? "yes" : "no"} <span className="quiet">{by}</span>
      </span>
    );
  }
  if (outcome === "did" && output)
    return (
      <>
        <span className="mk ok">▸</span>
        {(output as { words: string }).words}
      </>
    );
  if (outcome === "saved" && output) return <SavedOutcome saved={output as Saved} />;
  if (outcome === "in_doubt")
    return (
      <>
        <span className="mk look">?</span>unconfirmed: <Link to="/needs">did it arrive?</Link>
      </>
    );
  if (outcome === "sending" || outcome === "to_send" || (outcome === "sent" && !(output as { mails?: unknown }).mails))
    return <WebOutcome outcome={outcome} output={output as WebOutput} />;
  if (outcome === "sent") {
    const { mails } = output as { mails: { to: string[]; subject: string; link: string | null }[] };
    const first = mails[0];
    return (
      <span className="clip">
        <span className="mk ok">↗</span>
        {mails.length === 1 && first?.link ? (
          <a href={first.link} target="_blank" rel="noreferrer">
            {first.subject}
          </a>
        ) : (
          `${mails.length} emails`
        )}
      </span>
    );
  }
  if (outcome === "ran") {
    const { workflow, workflow_name: name } = output as { workflow: number; workflow_name: string };
    return (
      <span className="clip">
        <span className="mk ok">»</span>
        <Link to={`/workflows/${workflow}/runs`}>{name || "another workflow"}</Link>
      </span>
    );
  }
  if (outcome === "waits") return <Rests until={(output as { until: string }).until} />;
  const written = WRITTEN[outcome];
  if (!written) return OUTCOMES[outcome] ?? <Told outcome={outcome} output={output} />;
  const title = (output as { title?: string } | null)?.title;
  return (
    <span className="clip">
      <span className={`mk ${written.look}`}>{written.mark}</span>
      {written.word} {title || "a record"}
    </span>
  );
}

const RESTING = new Set(["waits", "asks", "in_doubt"]);

/** What a line did in a run; in what is repeated, in the round that most wants a look, and in how many it did anything. */
export function RunCell({ run, line }: { run: Run; line: string }): ReactNode {
  const records = run.lines.filter((l) => l.line === line);
  const shown = records.find((l) => l.outcome === "failed") ?? records.find((l) => RESTING.has(l.outcome)) ?? records.at(-1);
  if (!shown) return null;
  return (
    <>
      <OutcomeCell outcome={shown.outcome} output={shown.output} />
      {records.length > 1 && (
        <small className="quiet">
          {" "}
          {shown.place ? `${shown.place} of ` : ""}
          {records.length}
        </small>
      )}
    </>
  );
}
