import { useCosts } from "../../api/queries";
import { dateTime } from "../../parts/dates";

interface Props {
  connection: number;
  app: string;
}

const number = (n: number) => n.toLocaleString("en-GB");
const many = (n: number, word: string) => `${number(n)} ${word}${n === 1 ? "" : "s"}`;
const WINDOWS: Record<number, string> = { 60: "a minute", 3_600: "an hour", 86_400: "a day" };
const per = (seconds: number) => WINDOWS[seconds] ?? (seconds >= 86_400 ? `in ${Math.round(seconds / 86_400)} days` : `in ${seconds} s`);

/** What a connection costs in calls and runs: used and expected, beside what the app allows. */
export function ConnectionCosts({ connection, app }: Props) {
  const costs = useCosts(connection).data;
  if (!costs) return null;
  return (
    <>
      <h2 className="above-4">Calls and runs</h2>
      {costs.warning && (
        <div className="note bad" role="status">
          {costs.warning.sentence} {costs.warning.advice}
        </div>
      )}
      {costs.shares.length > 0 && (
        <table className="list">
          <thead>
            <tr>
              <th>Workflow</th>
              <th className="w-168 num">Expected a month</th>
              <th className="w-168 num">Calls, checks included</th>
              <th>How this is known</th>
            </tr>
          </thead>
          <tbody>
            {costs.shares.map((share) => (
              <tr key={share.workflow}>
                <td>
                  <b>{share.name}</b>
                </td>
                <td className="num">{share.runs === null ? <span className="quiet">unknown</span> : many(share.runs, "run")}</td>
                <td className="num">{many(share.calls, "call")}</td>
                <td className="quiet">{share.runs === null ? "too few items yet" : share.told_from}</td>
              </tr>
            ))}
            {costs.shares.length > 1 && (
              <tr>
                <td>All together</td>
                <td className="num">{many(costs.runs, "run")}</td>
                <td className="num">{many(costs.calls, "call")}</td>
                <td />
              </tr>
            )}
          </tbody>
        </table>
      )}
      <p className="above-2">
        {costs.shares.length === 0 && "No workflow that is on uses it. "}
        Used in the last 30 days: {many(costs.made, "call")} and {many(costs.had, "run")}.
      </p>
      {costs.limits.length === 0 ? (
        <p>{app} doesn’t say how many calls it allows.</p>
      ) : (
        costs.limits.map((limit) => (
          <p key={limit.window}>
            {app} allows {number(limit.most)} calls {per(limit.window)}; {number(limit.left)} are left until {dateTime(limit.resets, "UTC")}{" "}
            UTC.
          </p>
        ))
      )}
    </>
  );
}
