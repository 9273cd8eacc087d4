import { Suspense } from "react";
import { Route, Routes } from "react-router";
import { Screens } from "./bundles";
import { NoticeProvider } from "./frame/Notices";
import { QuickPage } from "./screens/captures/QuickPage";

export function App() {
  return (
    <NoticeProvider>
      <Routes>
        <Route path="quick" element={<QuickPage />} />
        <Route
          path="*"
          element={
            <Suspense>
              <Screens.Apart />
            </Suspense>
          }
        />
      </Routes>
    </NoticeProvider>
  );
}
