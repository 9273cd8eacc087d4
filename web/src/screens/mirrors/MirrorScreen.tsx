import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { NavLink, useNavigate, useParams } from "react-router";
import { answer, client } from "../../api/client";
import { useMe } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { dateTime, span } from "../../parts/dates";
import { HistoryTab } from "./HistoryTab";
import { ParityTab } from "./ParityTab";
import { Plan } from "./Plan";
import { Items } from "./Items";
import { RehearsalTab } from "./RehearsalTab";
import { useMirror, useParity, type Mirror } from "./queries";
import { SetUp } from "./SetUp";
import { MIRROR_STATES, stageWords, ways } from "./words";

/** A mirror: its items aligned pair by pair, its history, parity, and how it is set up. */
export function MirrorScreen() {
  const { mirror: id = "", tab = "items" } = useParams();
  const mirror = useMirror(Number(id));
  if (!mirror.data) {
    return (
      <main>
        <div className="head">
          <h1>{mirror.error ? "Mirror not found" : "Mirror"}</h1>
          <div className="sub">{mirror.error ? "It may have been deleted." : ""}</div>
        </div>
      </main>
    );
  }
  return <Shown mirror={mirror.data} tab={tab} stamp={mirror.dataUpdatedAt} />;
}

function Shown({ mirror, tab, stamp }: { mirror: Mirror; tab: string; stamp: number }) {
  const isPlan = mirror.state === "planning" || mirror.state === "planned";
  const at = `/mirrors/${mirror.id}`;
  const shown = tab === "items" && mirror.state === "draft" ? "rules" : tab;
  return (
    <main>
      <Head mirror={mirror} />
      <nav className="tabs" aria-label="Mirror">
        {mirror.state !== "draft" && (
          <NavLink end to={at}>
            {isPlan ? "Plan" : "Items"}
          </NavLink>
        )}
        <NavLink to={`${at}/rules`} aria-current={shown === "rules" ? "page" : undefined}>
          Fields and rules
        </NavLink>
        {mirror.state !== "draft" && !isPlan && (
          <>
            <NavLink to={`${at}/history`}>History</NavLink>
            <NavLink to={`${at}/parity`}>Parity</NavLink>
            <NavLink to={`${at}/rehearsal`}>Rehearsal</NavLink>
          </>
        )}
      </nav>
      {mirror.reason && <div className="note bad">{mirror.reason}</div>}
      {mirror.problem && <div className="note">{mirror.problem}. Edits are kept, and cross as soon as it responds.</div>}
      {shown === "rules" ? (
        <SetUp mirror={mirror} />
      ) : shown === "history" ? (
        <HistoryTab mirror={mirror} />
      ) : shown === "parity" ? (
        <ParityTab mirror={mirror} />
      ) : shown === "rehearsal" ? (
        <RehearsalTab mirror={mirror} />
      ) : isPlan ? (
        <Plan mirror={mirror} stamp={stamp} />
      ) : (
        <Items mirror={mirror} stamp={stamp} />
      )}
    </main>
  );
}

function Head({ mirror }: { mirror: Mirror }) {
  const [look, word] = MIRROR_STATES[mirror.state];
  return (
    <div className="row top">
      <div className="grow">
        <h1>
          {mirror.left.name} <span>{arrow(mirror)}</span> {mirror.right.name}
        </h1>
        <div className="sub">
          <Sub mirror={mirror} />
        </div>
      </div>
      <span className={`state ${look}`}>
        {mirror.state === "on" && "●"} {word}
      </span>
      <Steps mirror={mirror} />
    </div>
  );
}

function Sub({ mirror }: { mirror: Mirror }) {
  const zone = useMe().data?.timezone ?? "UTC";
  const last = useParity(mirror.id).data?.find((one) => one.ended_at);
  const fields = mirror.matched.length;
  if (mirror.stage) return <>{stageWords(mirror)}</>;
  return (
    <>
      {ways(mirror)} · {fields === 1 ? "1 field matched" : `${fields} fields matched`}
      {mirror.delay !== null && (
        <>
          {" "}
          · edits cross in <b>{span(mirror.delay / 1000)}</b>, typically
        </>
      )}
      {last?.ended_at && (
        <>
          {" "}
          · parity last checked {dateTime(last.ended_at, zone)}
          {last.different > 0 && `, ${last.different} differed`}
        </>
      )}
    </>
  );
}

function arrow(mirror: Mirror): string {
  const found = ways(mirror);
  if (found === "Both ways") return "↔";
  return found.endsWith("right") ? "→" : "←";
}

/** What can be done to the mirror as a whole, as its state allows. */
function Steps({ mirror }: { mirror: Mirror }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { fail, tell } = useNotices();
  const path = { params: { path: { mirror_id: mirror.id } } };
  const done = () => {
    void queries.invalidateQueries({ queryKey: ["mirror", mirror.id] });
    void queries.invalidateQueries({ queryKey: ["mirror-rows", mirror.id] });
  };
  const set = useMutation({
    mutationFn: (state: "on" | "off") => answer(client.POST("/api/v1/mirrors/{mirror_id}/state", { ...path, body: { state } })),
    onSuccess: done,
    onError: fail,
  });
  const check = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/mirrors/{mirror_id}/parity", path)),
    onSuccess: () => {
      tell("Parity is being checked.");
      done();
    },
    onError: fail,
  });
  const plan = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/mirrors/{mirror_id}/plan", path)),
    onSuccess: () => {
      done();
      void navigate(`/mirrors/${mirror.id}`);
    },
    onError: fail,
  });
  if (mirror.state === "on") {
    return (
      <>
        <Button disabled={check.isPending || !!mirror.stage} onClick={() => check.mutate()}>
          Check parity now
        </Button>
        <Button disabled={set.isPending} onClick={() => set.mutate("off")}>
          Turn off
        </Button>
      </>
    );
  }
  if (mirror.state === "planning" || mirror.state === "planned") {
    return (
      <Button disabled={set.isPending} onClick={() => set.mutate("off")}>
        Discard plan
      </Button>
    );
  }
  const needsPlan = mirror.state === "draft" || (mirror.state === "off" && !!mirror.reason);
  return needsPlan ? (
    <Button variant="contained" disabled={plan.isPending} onClick={() => plan.mutate()}>
      Create plan
    </Button>
  ) : (
    <Button variant="contained" disabled={set.isPending} onClick={() => set.mutate("on")}>
      Turn on
    </Button>
  );
}
