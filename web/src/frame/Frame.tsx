import { Suspense } from "react";
import { Link, Outlet } from "react-router";
import { Problem, said } from "../api/client";
import { useLive } from "../api/live";
import { useMe } from "../api/queries";
import { useNarrow } from "../parts/useNarrow";
import { CaptureLine } from "./CaptureLine";
import { FootBar } from "./FootBar";
import { Rail } from "./Rail";

/** The way between screens, the capture line, and the screen. */
export function Frame() {
  const me = useMe();
  if (me.error instanceof Problem && me.error.status === 401) return <NotSignedIn />;
  if (me.data) return <SignedIn />;
  return me.error ? <OutOfReach error={me.error} /> : null;
}

function SignedIn() {
  useLive();
  const narrow = useNarrow();
  return (
    <div className="frame">
      <button className="skip" onClick={skip}>
        Skip to content
      </button>
      {!narrow && <Rail />}
      {!narrow && <CaptureLine />}
      <Suspense fallback={<main aria-busy="true" />}>
        <Outlet />
      </Suspense>
      {narrow && <FootBar />}
    </div>
  );
}

/** Put the focus on the screen, behind the navigation. */
function skip() {
  const main = document.querySelector("main");
  main?.setAttribute("tabindex", "-1");
  main?.focus();
}

function NotSignedIn() {
  return (
    <main>
      <div className="empty">
        <h1>You are not signed in</h1>
        <p>
          Kelvix prints a sign-in address when it starts. It works once. For a new one, run <kbd>./kelvix sign-in</kbd> where Kelvix is
          installed.
        </p>
      </div>
    </main>
  );
}

function OutOfReach({ error }: { error: Error }) {
  return (
    <main>
      <div className="empty">
        <h1>Can’t reach Kelvix</h1>
        <p>{error instanceof Problem && error.status > 0 ? said(error) : "Check your network, and that Kelvix is running."}</p>
        <p>
          You can still write things down in <Link to="/quick/">Quick input</Link>. They are sent later.
        </p>
      </div>
    </main>
  );
}
