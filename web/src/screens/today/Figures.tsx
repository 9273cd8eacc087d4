import { Link } from "react-router";
import { span } from "../../parts/dates";
import { percent } from "./days";
import type { TodayOut } from "./queries";

/** Today in a few figures. */
export function Figures({ today }: { today: TodayOut }) {
  return (
    <dl className="figs">
      <Figure words="Received">{today.came_in}</Figure>
      <Figure words="Written or sent">{today.went_out}</Figure>
      {today.mirrored !== null && (
        <Figure words="Mirrored">
          <Link to="/mirrors">{today.mirrored}</Link>
        </Figure>
      )}
      <Figure words="Success rate">{percent(today.success)}</Figure>
      <Figure words="Slowest">
        {today.slowest === null ? (
          "–"
        ) : today.slowest_run ? (
          <Link to={`/runs/${today.slowest_run}`}>{span(today.slowest)}</Link>
        ) : (
          span(today.slowest)
        )}
      </Figure>
      <Figure words={today.needs === 1 ? "Needs you" : "Need you"}>
        <Link to="/needs" className={today.needs ? "bad" : ""}>
          {today.needs}
        </Link>
      </Figure>
    </dl>
  );
}

function Figure({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <div>
      <dt>{words}</dt>
      <dd>{children}</dd>
    </div>
  );
}
