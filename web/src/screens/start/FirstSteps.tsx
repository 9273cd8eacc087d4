import { Button } from "@mui/material";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { useConsent } from "../connections/useConsent";
import { STEPS, useFirstSteps } from "./useFirstSteps";

const KEY = "kelvix-first-steps"; // kept once they are done: nothing asks for them again

/** The way of a new workspace to its first item, in four steps; it goes when that has arrived. */
export function FirstSteps({ strip = false }: { strip?: boolean }) {
  const [done] = useState(() => localStorage.getItem(KEY) === "done");
  return done ? null : <Steps strip={strip} />;
}

function Steps({ strip }: { strip: boolean }) {
  const way = useFirstSteps();
  const consent = useConsent();
  const [begun, setBegun] = useState(false); // whether it was under way while this was shown
  const [closed, setClosed] = useState(false);
  if (way && way.at >= 0 && !begun) setBegun(true);
  const over = way ? way.at < 0 : false;
  useEffect(() => {
    if (over) localStorage.setItem(KEY, "done");
  }, [over]);
  if (!way || closed || (way.at < 0 && !begun)) return null;
  const { apps, at, done, workflow, connection, create } = way;
  const app = apps.find((a) => a.code === connection?.app);
  const next = [
    <>
      <p>Choose an app and the {apps[0]?.containers_word ?? "folders"} that Kelvix may see.</p>
      <div className="row wraps">
        {apps.map((a, n) => (
          <Button key={a.code} variant={n === 0 ? "contained" : "outlined"} disabled={consent.asking} onClick={() => consent.ask(a.code)}>
            Connect {a.name}
          </Button>
        ))}
      </div>
    </>,
    <>
      <p>Kelvix creates a workflow for the {app?.container_word} you shared. You choose what it saves.</p>
      <Button variant="contained" disabled={create.isPending} onClick={() => create.mutate()}>
        Create workflow
      </Button>
    </>,
    <>
      <p>Select the Add line, create a database from the sample, then select Turn on.</p>
      {!strip && workflow && (
        <Button variant="contained" component={Link} to={`/workflows/${workflow.id}`}>
          Open workflow
        </Button>
      )}
    </>,
    <>
      <p>
        Waiting for the next {app?.item_word ?? "item"}. Create one in {app?.name ?? "the app"} to see it arrive.
      </p>
      {app && (
        <Button variant="contained" href={`${app.address}/${app.code}`} target="_blank" rel="noreferrer">
          Open {app.name}
        </Button>
      )}
    </>,
  ];
  return (
    <section className={strip ? "steps strip-of" : "steps"} aria-label="First steps">
      {!strip && <h2>First steps</h2>}
      <ol>
        {STEPS.map((step, n) => (
          <li key={step} aria-current={n === at ? "step" : undefined} className={done[n] ? "done" : ""}>
            <span className="mk" aria-hidden="true">
              {done[n] ? "✓" : n + 1}
            </span>
            {step}
            {done[n] && <span className="unseen">, done</span>}
          </li>
        ))}
      </ol>
      <div className="next" aria-live="polite">
        {at >= 0 ? (
          next[at]
        ) : (
          <p className="row wraps">
            <b>Your first item has arrived.</b> <Link to={`/workflows/${workflow?.id}/runs`}>Show runs</Link>
            <button className="link" onClick={() => setClosed(true)}>
              Close
            </button>
          </p>
        )}
      </div>
    </section>
  );
}
