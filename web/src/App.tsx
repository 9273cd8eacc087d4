import { lazy, Suspense } from "react";
import { Route, Routes } from "react-router";
import { NoticeProvider } from "./frame/Notices";
import { QuickPage } from "./screens/captures/QuickPage";

const Screens = lazy(() => import("./Screens"));

export function App() {
  return (
    <NoticeProvider>
      <Routes>
        <Route path="quick" element={<QuickPage />} />
        <Route
          path="*"
          element={
            <Suspense>
              <Screens />
            </Suspense>
          }
        />
      </Routes>
    </NoticeProvider>
  );
}
