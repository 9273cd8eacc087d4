import { useNeeds } from "../../api/queries";
import { Question } from "./Question";

/** What only the person can settle, the oldest first. */
export function NeedsYou() {
  const needs = useNeeds().data;
  return (
    <main>
      <div className="row head top">
        <div className="grow">
          <h1>Needs you</h1>
          <div className="sub">{needs === undefined ? "" : needs.length === 0 ? "nothing waits for you" : needs.length === 1 ? "one run waits for an answer" : `${needs.length} runs wait for an answer`}</div>
        </div>
      </div>
      {needs?.length === 0 && (
        <div className="empty">
          <h2>Nothing needs you</h2>
          <p>Questions that workflows ask stand here: an approval, or which of several records is meant. Their runs rest meanwhile, and nothing is lost.</p>
        </div>
      )}
      {!!needs?.length && (
        <div className="scroll fill" style={{ background: "var(--sheet)" }}>
          {needs.map((need) => (
            <Question key={need.id} need={need} />
          ))}
        </div>
      )}
    </main>
  );
}
