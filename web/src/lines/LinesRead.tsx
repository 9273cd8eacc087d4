import { Outlet } from "react-router";
import { useBroughtKinds } from "./brought";

/** The screens that show lines: they wait for the kinds that other packages bring. */
export function LinesRead() {
  return useBroughtKinds().isPending ? <main aria-busy="true" /> : <Outlet />;
}
