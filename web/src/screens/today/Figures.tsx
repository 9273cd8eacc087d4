import { Link } from "react-router";
import { span } from "../../parts/dates";
import type { TodayOut } from "./queries";

/** Today in five figures. */
export function Figures({ today }: { today: TodayOut }) {
  return (
    <dl className="figs">
      <Figure words="Received">{today.came_in}</Figure>
      <Figure words="Written or sent">{today.went_out}</Figure>
      <Figure words="Success rate">{today.success === null ? "–" : `${percent(today.success)} %`}</Figure>
      <Figure words="slowest">
        {today.slowest === null ? (
          "–"
        ) : today.slowest_run ? (
          <Link to={`/runs/${today.slowest_run}`}>{span(today.slowest)}</Link>
        ) : (
          span(today.slowest)
        )}
      </Figure>
      <Figure words={today.needs === 1 ? "needs you" : "need you"}>
        <Link to="/needs" className={today.needs ? "bad" : ""}>
          {today.needs}
        </Link>
      </Figure>
    </dl>
  );
}

/** Without a lie at the upper end: 99.96 is no 100. */
function percent(share: number): string {
  const rounded = Math.round(share * 1000) / 10;
  return String(share < 1 && rounded === 100 ? 99.9 : rounded);
}

function Figure({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <div>
      <dt>{words}</dt>
      <dd>{children}</dd>
    </div>
  );
}
