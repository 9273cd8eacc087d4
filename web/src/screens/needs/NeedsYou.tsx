import { useNeeds } from "../../api/queries";
import { useAttention } from "../today/queries";
import { Causes } from "./Causes";
import { Question } from "./Question";

/** What only the person can settle: questions, the oldest first, and what has gone wrong. */
export function NeedsYou() {
  const needs = useNeeds().data;
  const causes = useAttention(true).data;
  const grave = causes?.filter((c) => c.kind !== "never_on").length ?? 0;
  const total = (needs?.length ?? 0) + grave;
  const nothing = needs?.length === 0 && causes?.length === 0;
  return (
    <main>
      <div className="row head top">
        <div className="grow">
          <h1>Needs you</h1>
          <div className="sub">{needs === undefined ? "" : total === 0 ? "No items" : total === 1 ? "1 item" : `${total} items`}</div>
        </div>
      </div>
      {nothing && (
        <div className="empty">
          <h2>Nothing needs your attention</h2>
          <p>Questions and problems that need you appear here. Runs wait meanwhile; nothing is lost.</p>
        </div>
      )}
      <div className="scroll fill">
        {!!needs?.length && (
          <div className="sheet">
            {needs.map((need) => (
              <Question key={need.id} need={need} />
            ))}
          </div>
        )}
        {!!causes?.length && (
          <>
            {!!needs?.length && grave > 0 && <h2 className="above-3">Problems</h2>}
            <Causes causes={causes} />
          </>
        )}
      </div>
    </main>
  );
}
