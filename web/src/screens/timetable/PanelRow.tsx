import type { ReactNode } from "react";

/** A row of a panel: what it is, the control, and what is wrong with it. */
export function PanelRow({ name, problem, children }: { name: string; problem?: string | undefined; children: ReactNode }) {
  return (
    <div className="mailrow">
      <span className="quiet">{name}</span>
      <div>
        {children}
        {problem && <span className="bad">! {problem}</span>}
      </div>
    </div>
  );
}

export function MoreRow({ problem, onClick, children }: { problem?: string | undefined; onClick: () => void; children: ReactNode }) {
  return (
    <PanelRow name="" problem={problem}>
      <button className="link" onClick={onClick}>
        {children}
      </button>
    </PanelRow>
  );
}

export function Remove({ name, onClick }: { name: string; onClick: () => void }) {
  return (
    <button className="link" aria-label={`Remove ${name}`} onClick={onClick}>
      ×
    </button>
  );
}
