import { span } from "../../parts/dates";
import { dayWords, percent, type Day } from "./days";

/** What the charts show, as a table: the newest day first. */
export function DayTable({ days }: { days: Day[] }) {
  return (
    <div className="scroll tall">
      <table className="list" aria-label="Runs per day, last 30 days">
        <thead>
          <tr>
            <th>Day</th>
            <th className="num">Done</th>
            <th className="num">Skipped</th>
            <th className="num">Failed</th>
            <th className="num">Success rate</th>
            <th className="num">Usual time</th>
          </tr>
        </thead>
        <tbody>
          {[...days].reverse().map((d) => (
            <tr key={d.day}>
              <td>{dayWords(d.day)}</td>
              <td className="num">{d.done}</td>
              <td className="num">{d.passed_by}</td>
              <td className="num">{d.failed}</td>
              <td className="num">{percent(d.success)}</td>
              <td className="num">{d.usual_delay === null ? "–" : span(d.usual_delay)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
