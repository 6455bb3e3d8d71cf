import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { meOptions } from '../../api/queries';
import { auditOptions, peopleOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { moment } from '../../lib/date';
import { api, ApiError, data, type Problem } from '../../api/http';
import { Button } from '../../ui/Button';
import { Loaded, ProblemNote } from '../../ui/States';

/** Who may do what, who is signed in, and what happened at the door. */
export function PersonsPage() {
  const people = useQuery(peopleOptions());
  const isDemo = useQuery(meOptions()).data?.is_demo;
  const { start } = useCommands();
  const [code, setCode] = useState<{ name: string; code: string } | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);

  async function give(name: string) {
    setProblem(null);
    try {
      setCode({ name, ...(await data(api.POST('/api/people/{name}/code', { params: { path: { name } } }))) });
      void people.refetch();
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
    }
  }

  return (
    <Loaded query={people}>
      {(rows) => (
        <article className="space-y-5">
          <header className="flex flex-wrap items-start justify-between gap-3 px-4 pt-3">
            <div>
              <h1>Persons</h1>
              <p className="text-quiet">
                Who may do what.{isDemo && ' This works is a demo: its persons come in without a password, on this machine.'}
              </p>
            </div>
            <span className="flex flex-wrap items-center gap-3 whitespace-nowrap">
              {isDemo && <Button onClick={() => start('close-demo')}>Close the demo…</Button>}
              <Button onClick={() => start('add-person')}>Add a person…</Button>
            </span>
          </header>
          {code && (
            <p role="status" className="mx-4 border-l-4 border-attention bg-attention-wash px-2 py-1">
              One-time code of {code.name}, shown this once and good for a day: <strong className="code">{code.code}</strong>
            </p>
          )}
          {problem && (
            <div className="px-4">
              <ProblemNote problem={problem} />
            </div>
          )}
          <table className="rows" aria-label="Persons">
            <thead>
              <tr>
                <th className="pl-4!">Name</th>
                <th>signs in as</th>
                <th>roles</th>
                <th>second factor</th>
                <th className="num">sessions</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {rows.map((p) => (
                <tr key={p.name} className={p.is_active ? '' : 'text-quiet'}>
                  <td className="pl-4! whitespace-nowrap">{p.full_name}</td>
                  <td className="whitespace-nowrap">
                    <span className="code">{p.name}</span>
                    {p.is_demo && <span className="ml-2 text-[12px] text-quiet">of the demo</span>}
                    {!p.is_active && <span className="ml-2 text-[12px]">not active</span>}
                  </td>
                  <td className="w-full text-quiet">{p.roles.join(', ')}</td>
                  <td>{p.has_second_factor ? 'yes' : ''}</td>
                  <td className="num">{p.sessions || ''}</td>
                  <td className="num space-x-3 pr-4! whitespace-nowrap">
                    <Button look="link" onClick={() => start('set-roles', { name: p.name, roles: p.roles })}>
                      Roles…
                    </Button>
                    {p.is_active && !p.is_demo && (
                      <Button look="link" onClick={() => void give(p.name)} aria-label={`One-time code for ${p.name}`}>
                        One-time code
                      </Button>
                    )}
                    {p.has_second_factor && (
                      <Button look="link" onClick={() => start('drop-second-factor', { name: p.name })}>
                        Second factor…
                      </Button>
                    )}
                    {p.sessions > 0 && (
                      <Button look="link" onClick={() => start('end-sessions', { name: p.name })}>
                        Sign out…
                      </Button>
                    )}
                    <Button look="link" onClick={() => start(p.is_active ? 'deactivate-person' : 'activate-person', { name: p.name })}>
                      {p.is_active ? 'Deactivate…' : 'Activate…'}
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <Door />
        </article>
      )}
    </Loaded>
  );
}

/** The latest of what happened at the door. */
function Door() {
  const audit = useQuery(auditOptions());
  return (
    <table className="rows" aria-label="At the door">
      <thead>
        <tr>
          <th className="pl-4!">At the door</th>
          <th>what</th>
          <th>who</th>
          <th>from</th>
          <th className="pr-4!">details</th>
        </tr>
      </thead>
      <tbody>
        {audit.data?.map((h) => (
          <tr key={h.at + h.kind}>
            <td className="pl-4! whitespace-nowrap">{moment(h.at)}</td>
            <td className="whitespace-nowrap">{h.kind}</td>
            <td className="whitespace-nowrap">{h.person || <span className="text-quiet">{h.name}</span>}</td>
            <td className="code">{h.address}</td>
            <td className="w-full pr-4! text-quiet">{h.detail}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
