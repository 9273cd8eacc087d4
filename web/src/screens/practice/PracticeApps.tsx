import { useApps, useMe } from "../../api/queries";

/** The way to the practice apps: visibly another place. */
export function PracticeApps() {
  const me = useMe().data;
  const apps = useApps().data ?? [];
  return (
    <main>
      <div className="head">
        <h1>Practice apps</h1>
      </div>
      <p className="flush around-2">
        Practice apps stand in for outside services, so you can build and try workflows safely. Their content is made up.
      </p>
      <div className="places">
        <h2>Open them at: {me?.practice}</h2>
        <table className="bare">
          <tbody>
            {apps.map((a) => (
              <tr key={a.code}>
                <td className="w-168">
                  <span className="mono">{a.monogram}</span>
                  <a href={`${a.address}/${a.code}`} target="_blank" rel="noreferrer">
                    {a.name}
                  </a>
                </td>
                <td className="wrap">
                  Read and write {a.items_word} in {a.containers_word} as one of their users.
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="above-2">
          <a href={me?.practice} target="_blank" rel="noreferrer">
            Fault switches and access
          </a>{" "}
          make an app slow, failing, refusing, limited or down, to see how Kelvix reacts.
        </p>
      </div>
    </main>
  );
}
