import { useState } from "react";
import { NavLink } from "react-router";
import { useMe, useNeeds } from "../api/queries";
import { useScheme } from "../theme/SchemeProvider";
import { useAttention } from "../screens/today/queries";
import { WorkspaceDialog } from "./WorkspaceDialog";

const MAIN = [
  ["Today", "/today"],
  ["Databases", "/databases"],
  ["Workflows", "/workflows"],
  ["Runs", "/runs"],
] as const;
const BELOW = [
  ["Side by side", "/beside"],
  ["Captures", "/captures"],
  ["Connections", "/connections"],
  ["Trash", "/trash"],
  ["Practice apps", "/practice"],
] as const;

export function Rail() {
  const me = useMe().data;
  const needs = (useNeeds().data?.length ?? 0) + (useAttention().data?.length ?? 0);
  const { scheme, change } = useScheme();
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
      </div>
      {changing && me && <WorkspaceDialog me={me} onClose={() => setChanging(false)} />}
    </div>
  );
}
