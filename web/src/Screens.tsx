import { Navigate, Route, Routes } from "react-router";
import { LinesRead, OF_LINES, SCREENS } from "./bundles";
import { Frame } from "./frame/Frame";
import type { Apart } from "./parts/apart";
import { NothingHere } from "./screens/NothingHere";

const at = ([path, { Apart }]: [string, Apart]) => <Route key={path} path={path} element={<Apart />} />;

/** All screens but quick input. */
export function Screens() {
  return (
    <Routes>
      <Route element={<Frame />}>
        <Route index element={<Navigate to="/today" replace />} />
        {Object.entries(SCREENS).map(at)}
        <Route element={<LinesRead.Apart />}>{Object.entries(OF_LINES).map(at)}</Route>
        <Route path="*" element={<NothingHere />} />
      </Route>
    </Routes>
  );
}
