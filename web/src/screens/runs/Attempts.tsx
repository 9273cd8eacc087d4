import type { Schemas } from "../../api/client";
import { seconds, span } from "../../parts/dates";

/** What went wrong with each attempt, and when there was another. */
export function Attempts({ attempts, zone }: { attempts: Schemas["AttemptOut"][]; zone: string }) {
  if (attempts.length === 0) return null;
  return (
    <details className="flush around-2" open={attempts.length < 4}>
      <summary>
        {attempts.length} {attempts.length === 1 ? "attempt" : "attempts"} went wrong
      </summary>
      <table className="list" aria-label="Failed attempts">
        <colgroup>
          <col className="w-64" />
          <col className="w-112" />
          <col />
          <col className="w-168" />
        </colgroup>
        <tbody>
          {attempts.map((a, n) => (
            <tr key={n}>
              <td>{a.number}</td>
              <td className="t">{seconds(a.at, zone)}</td>
              <td className="wrap">{a.sentence}</td>
              <td className="quiet">{a.again_in === null ? "the last" : `retried after ${span(a.again_in)}`}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
