import { Divider, Menu, MenuItem } from "@mui/material";
import { lazy, Suspense, useEffect, useState } from "react";
import { Link, NavLink, useLocation, useNavigate } from "react-router";
import { useMe } from "../api/queries";
import { useScheme } from "../theme/SchemeProvider";
import { BELOW, MAIN } from "./places";
import { useSigningOut } from "./useSigningOut";
import { useWaiting } from "./useWaiting";
const WorkspaceDialog = lazy(() => import("./WorkspaceDialog").then((module) => ({ default: module.WorkspaceDialog })));

const BAR = ["/today", "/databases"];
const MORE = [...MAIN, ...BELOW].filter(([, to]) => !BAR.includes(to));

/** The way between screens on a phone: a bar at the foot. */
export function FootBar() {
  const me = useMe().data;
  const needs = useWaiting();
  const { scheme, change } = useScheme();
  const signOut = useSigningOut();
  const go = useNavigate();
  const here = useLocation().pathname;
  const [more, setMore] = useState<HTMLElement | null>(null);
  const [changing, setChanging] = useState(false);
  const close = () => setMore(null);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => event.ctrlKey && event.key === ";" && void go("/capture");
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [go]);
  return (
    <nav className="footbar" aria-label="Screens">
      <NavLink to="/today">Today</NavLink>
      <NavLink to="/needs">Needs you {needs > 0 && <b className="bad">{needs}</b>}</NavLink>
      <NavLink to="/databases">Databases</NavLink>
      <NavLink to="/capture">Capture</NavLink>
      <button
        aria-haspopup="menu"
        aria-expanded={more !== null}
        aria-current={MORE.some(([, to]) => here.startsWith(to)) ? "page" : undefined}
        onClick={(event) => setMore(event.currentTarget)}
      >
        More
      </button>
      <Menu anchorEl={more} open={more !== null} onClose={close} onClick={close}>
        {MORE.map(([name, to]) => (
          <MenuItem key={to} component={Link} to={to} selected={here.startsWith(to)}>
            {name}
          </MenuItem>
        ))}
        <Divider />
        {me?.role === "owner" && <MenuItem onClick={() => setChanging(true)}>Workspace</MenuItem>}
        <MenuItem onClick={change}>{scheme === "light" ? "Dark" : "Light"} scheme</MenuItem>
        <MenuItem onClick={() => signOut.mutate()}>Sign out</MenuItem>
      </Menu>
      {changing && me && (
        <Suspense>
          <WorkspaceDialog me={me} onClose={() => setChanging(false)} />
        </Suspense>
      )}
    </nav>
  );
}
