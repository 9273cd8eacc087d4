import { Button, Snackbar } from "@mui/material";
import { createContext, useCallback, useContext, useState, type ReactNode } from "react";
import { said } from "../api/client";

interface Notice {
  key: number;
  text: string;
  action?: { label: string; run: () => void };
  bad: boolean;
}

interface Notify {
  tell: (text: string, action?: Notice["action"]) => void;
  fail: (error: unknown) => void;
}

const NoticeContext = createContext<Notify>({ tell: () => undefined, fail: () => undefined });
export const useNotices = () => useContext(NoticeContext);

/** One line at the foot of the screen: what was done, with a way to undo it; or what went wrong, until it is put away. */
export function NoticeProvider({ children }: { children: ReactNode }) {
  const [notice, setNotice] = useState<Notice | null>(null);
  const tell = useCallback<Notify["tell"]>((text, action) => setNotice({ key: Date.now(), text, action, bad: false }), []);
  const fail = useCallback<Notify["fail"]>((error) => setNotice({ key: Date.now(), text: said(error), bad: true }), []);
  const close = () => setNotice(null);
  return (
    <NoticeContext.Provider value={{ tell, fail }}>
      {children}
      <Snackbar
        key={notice?.key}
        open={notice !== null}
        autoHideDuration={notice?.bad ? null : 8000}
        onClose={(_, reason) => reason === "timeout" && close()}
        message={notice?.text}
        anchorOrigin={{ vertical: "bottom", horizontal: "center" }}
        action={
          <>
            {notice?.action && (
              <Button
                variant="text"
                className="undoing"
                onClick={() => {
                  notice.action?.run();
                  close();
                }}
              >
                {notice.action.label}
              </Button>
            )}
            <Button variant="text" className="plainly" onClick={close}>
              Close
            </Button>
          </>
        }
      />
    </NoticeContext.Provider>
  );
}
