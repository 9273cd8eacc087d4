import { MenuItem, Select } from "@mui/material";
import { useApps, useConnections, useSight, type App } from "../../api/queries";
import { useConsent } from "../connections/useConsent";
import { PanelRow } from "./PanelRow";

interface Props {
  /** As in "Sent by". */
  name: string;
  label: string;
  /** Which apps can do it. */
  can: (app: App) => boolean;
  /** What is said where no connection can, and where the chosen one may not yet. */
  words: { none: string; mayNot: string };
  value: number | null | undefined;
  problem: string | undefined;
  onChange: (connection: number) => void;
}

/** The connection by which something is sent or saved, and whether it may. */
export function ByConnection({ name, label, can, words, value, problem, onChange }: Props) {
  const apps = (useApps().data ?? []).filter(can);
  const connections = (useConnections().data ?? []).filter((c) => apps.some((a) => a.code === c.app));
  const chosen = connections.find((c) => c.id === value);
  const sight = useSight(chosen?.id).data;
  const consent = useConsent();
  const first = apps[0];
  return (
    <PanelRow name={name} problem={problem}>
      <div className="row">
        <Select
          value={chosen ? String(chosen.id) : ""}
          displayEmpty
          className="min-220"
          SelectDisplayProps={{ "aria-label": label }}
          onChange={(event) => onChange(Number(event.target.value))}
        >
          <MenuItem value="" disabled>
            {connections.length > 0 ? "Choose a connection" : words.none}
          </MenuItem>
          {connections.map((c) => (
            <MenuItem key={c.id} value={String(c.id)}>
              {c.name}
            </MenuItem>
          ))}
        </Select>
        {!chosen && first && (
          <button className="link" onClick={() => consent.ask(first.code, undefined, true)}>
            Connect {first.name}
          </button>
        )}
        {chosen && sight && !sight.may_send && sight.finding !== "no_answer" && (
          <span className="look">
            {words.mayNot} ·{" "}
            <button className="link" onClick={() => consent.ask(chosen.app, chosen.id, true)}>
              Change access
            </button>
          </span>
        )}
      </div>
    </PanelRow>
  );
}
