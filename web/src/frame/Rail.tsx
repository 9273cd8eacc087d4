import { lazy, Suspense, useState } from "react";
import { NavLink } from "react-router";
import { useMe } from "../api/queries";
import { useScheme } from "../theme/SchemeProvider";
import { BELOW, MAIN } from "./places";
import { useSigningOut } from "./useSigningOut";
import { useWaiting } from "./useWaiting";
const WorkspaceDialog = lazy(() => import("./WorkspaceDialog").then((module) => ({ default: module.WorkspaceDialog })));

/** The way between screens, at the left; at its foot the workspace and the person. */
export function Rail() {
  const me = useMe().data;
  const needs = useWaiting();
  const { scheme, change } = useScheme();
  const signOut = useSigningOut();
  const [changing, setChanging] = useState(false);
  return (
    <div className="rail">
      <div className="wordmark">
        Kel<i>/</i>vix
      </div>
      <nav aria-label="Screens">
        {MAIN.map(([name, to]) => (
          <NavLink key={to} to={to}>
            {name}
          </NavLink>
        ))}
        <NavLink to="/needs">Needs you {needs > 0 && <b className="waiting-for">{needs}</b>}</NavLink>
        <hr />
        {BELOW.map(([name, to]) => (
          <NavLink key={to} to={to}>
            {name}
          </NavLink>
        ))}
      </nav>
      <div className="who">
        <b>{me?.workspace}</b>
        {me?.name} · {me?.role}
        {me?.role === "owner" && (
          <button className="link" onClick={() => setChanging(true)}>
            Workspace
          </button>
        )}
        <button className="link" onClick={change}>
          {scheme === "light" ? "Dark" : "Light"} scheme
        </button>
        <button className="link" onClick={() => signOut.mutate()}>
          Sign out
        </button>
      </div>
      {changing && me && (
        <Suspense>
          <WorkspaceDialog me={me} onClose={() => setChanging(false)} />
        </Suspense>
      )}
    </div>
  );
}
