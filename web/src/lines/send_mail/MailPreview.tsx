import { useState } from "react";
import type { Cell } from "../../screens/timetable/model";

/** A mail as it would go out with the chosen sample; where there are several, one at a time. */
export function MailPreview({ cell }: { cell: Cell | undefined }) {
  const [chosen, setChosen] = useState(0);
  const mails = cell?.mails ?? [];
  const at = Math.min(chosen, mails.length - 1);
  const mail = mails[at];
  if (!mail) return <p className="quiet">{cell?.note}</p>;
  return (
    <div className="letter" aria-label="Email preview">
      {mails.length > 1 && (
        <p className="row">
          <span className="grow">
            Mail {at + 1} of {cell?.mail_count}
          </span>
          <button className="link" disabled={at === 0} onClick={() => setChosen(at - 1)}>
            Previous
          </button>
          <button className="link" disabled={at === mails.length - 1} onClick={() => setChosen(at + 1)}>
            Next
          </button>
        </p>
      )}
      <dl>
        <dt>To</dt>
        <dd>{mail.to.join(", ")}</dd>
        <dt>Subject</dt>
        <dd>
          <b>{mail.subject}</b>
        </dd>
      </dl>
      <div className="body">{mail.text}</div>
      {mail.rows.length > 0 && (
        <table className="above-1">
          <thead>
            <tr>
              {mail.heads.map((h, n) => (
                <th key={n}>{h}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {mail.rows.map((row, n) => (
              <tr key={n}>
                {row.map((text, c) => (
                  <td key={c} className="wrap">
                    {text}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {cell && cell.doubts > 0 && <p className="look">? {cell.note}</p>}
    </div>
  );
}
