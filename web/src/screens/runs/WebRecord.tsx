export interface WebSent {
  method: string;
  address: string;
  attempt: number;
  body: string;
  status?: number;
  answer?: string;
  by?: string;
}

/** A web request of a run: what went out, and what was answered. */
export function WebRecord({ sent }: { sent: WebSent }) {
  return (
    <div className="mailing">
      <div className="letter">
        <p>
          <b>{sent.method}</b> {sent.address} <span className="quiet">attempt {sent.attempt}</span>
        </p>
        {sent.body && <pre className="body">{sent.body}</pre>}
      </div>
      <div className="letter">
        <p>{sent.status ? <b>Answered {sent.status}</b> : sent.by ? `${sent.by} confirmed that it arrived.` : "No answer received."}</p>
        {sent.answer && <pre className="body">{sent.answer}</pre>}
      </div>
    </div>
  );
}
