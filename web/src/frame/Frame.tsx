import { Outlet } from "react-router";
import { Problem } from "../api/client";
import { useLive } from "../api/live";
import { useMe } from "../api/queries";
import { useBroughtKinds } from "../lines/brought";
import { CaptureLine } from "./CaptureLine";
import { Rail } from "./Rail";

/** The rail, the capture line, and the screen. */
export function Frame() {
  const me = useMe();
  if (me.error instanceof Problem && me.error.status === 401) return <NotSignedIn />;
  if (!me.data) return null;
  return <SignedIn />;
}

function SignedIn() {
  useLive();
  const kinds = useBroughtKinds();
  if (kinds.isPending) return null;
  return (
    <div className="frame">
      <Rail />
      <CaptureLine />
      <Outlet />
    </div>
  );
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
