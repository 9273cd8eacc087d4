import { Button, MenuItem, Select } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { copyText } from "../../parts/copy";
import { useNotices } from "../../frame/Notices";
import { useFieldTypes } from "../../api/queries";
import type { Address, Rehearsal } from "../../screens/timetable/model";

interface Props {
  own: Address;
  workflow: number;
  findings: Rehearsal["findings"];
  onChange: (own: Address) => void;
}

type Input = Address["inputs"][number];

/** The address that requests come to, and what they bring: declared, or learned from one that came. */
export function AddressWhen({ own, workflow, findings, onChange }: Props) {
  const queries = useQueryClient();
  const types = useFieldTypes().data?.filter((t) => t.in_requests) ?? [];
  const { tell, fail } = useNotices();
  const path = { params: { path: { workflow_id: workflow } } };
  const key = ["address", workflow, own];
  const address = useQuery({
    queryKey: key,
    queryFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}/address", path)),
    placeholderData: (before) => before,
  });
  const make = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/address", path)),
    onSuccess: (made) => {
      setSecret(made.secret ?? null);
      void queries.invalidateQueries({ queryKey: ["address", workflow] });
    },
    onError: fail,
  });
  const learn = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/learn", path)),
    onSuccess: ({ inputs }) =>
      onChange({ ...own, inputs: [...own.inputs, ...inputs.filter((i) => !own.inputs.some((o) => o.key === i.key))] }),
    onError: fail,
  });
  const [secret, setSecret] = useState<string | null>(null); // known right after the address was made, and not again
  const copy = (text: string, what: string) => void copyText(text).then(() => tell(`${what} copied.`), fail);
  const set = (at: number, next: Input | null) =>
    onChange({ ...own, inputs: own.inputs.flatMap((i, n) => (n === at ? (next ? [next] : []) : [i])) });
  const found = address.data;
  return (
    <>
      {found ? (
        <div className="cond labelled address">
          <span>Address</span>
          <code className="clip" title={found.address}>
            {found.address}
          </code>
          <Button onClick={() => copy(found.address, "The address was")}>Copy</Button>
          <Button onClick={() => copy(found.example, "The example request was")}>Copy an example request</Button>
        </div>
      ) : (
        <div className="cond labelled">
          <span>Address</span>
          <Button variant="contained" onClick={() => make.mutate()} disabled={make.isPending}>
            Make the address
          </Button>
        </div>
      )}
      {own.inputs.length > 0 && (
        <table aria-label="What a request brings">
          <colgroup>
            <col />
            <col className="w-150" />
            <col className="w-130" />
            <col className="w-40" />
          </colgroup>
          <thead>
            <tr>
              <th>Name in the request</th>
              <th>Type</th>
              <th>Must be there</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {own.inputs.map((input, at) => (
              <tr key={at}>
                <td>
                  <input
                    className="find flush"

                    aria-label="Name in the request"
                    placeholder="customer.name"
                    value={input.key}
                    onChange={(event) => set(at, { ...input, key: event.target.value })}
                  />
                </td>
                <td>
                  <Select
                    value={input.type}
                    fullWidth

                    SelectDisplayProps={{ "aria-label": "Type" }}
                    onChange={(event) => set(at, { ...input, type: event.target.value })}
                  >
                    {types.map((t) => (
                      <MenuItem key={t.code} value={t.code}>
                        {t.name}
                      </MenuItem>
                    ))}
                  </Select>
                </td>
                <td>
                  <label>
                    <input
                      type="checkbox"
                      checked={input.required}
                      onChange={(event) => set(at, { ...input, required: event.target.checked })}
                    />{" "}
                    required
                  </label>
                </td>
                <td>
                  <button className="link" aria-label={`Remove ${input.key}`} onClick={() => set(at, null)}>
                    ×
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {findings
        .filter((f) => f.key === "inputs")
        .map((f) => (
          <p key={f.sentence} className="bad">
            ! {f.sentence}
          </p>
        ))}
      <div className="flush around-1">
        <button
          className="link"
          onClick={() => onChange({ ...own, inputs: [...own.inputs, { key: "", type: types[0]?.code ?? "", required: false }] })}
        >
          + declare a value
        </button>
        {" · "}
        <button className="link" onClick={() => learn.mutate()}>
          learn them from the last request
        </button>
        <span className="quiet"> While the workflow is off, incoming requests become samples.</span>
      </div>
      <div className="row wrapped">
        <label>
          <input type="checkbox" checked={own.signed} onChange={(event) => onChange({ ...own, signed: event.target.checked })} /> only
          requests signed by the Standard Webhooks scheme
        </label>
        {own.signed && found && secret && (
          <button className="link" title="Copy it now: it won’t be shown again" onClick={() => copy(secret, "The secret was")}>
            {secret}
          </button>
        )}
        {own.signed && found && !secret && (
          <span className="quiet">The secret was shown once, when the address was created. Replace the address to get a new one.</span>
        )}
        <label>
          at most{" "}
          <input
            type="number"
            min={0}
            className="find flush w-64"

            aria-label="Requests a minute"
            value={own.limit}
            onChange={(event) => onChange({ ...own, limit: Math.max(0, Math.round(Number(event.target.value) || 0)) })}
          />{" "}
          a minute <span className="quiet">{own.limit === 0 ? "(0 means no limit)" : ""}</span>
        </label>
        {found && (
          <button className="link" onClick={() => make.mutate()} title="The old address stops working">
            replace address
          </button>
        )}
      </div>
    </>
  );
}
