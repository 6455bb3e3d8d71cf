import { useQuery, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { factorOptions, type Me, meOptions, sessionsOptions } from '../api/queries';
import { moment } from '../lib/date';
import { api, ApiError, command, data, keepToken, type Problem } from '../api/http';
import { Button } from '../ui/Button';
import { Entry, Field } from '../ui/Field';
import { Loaded, ProblemNote } from '../ui/States';

/** One's own account: password, second factor, sessions. */
export function AccountPage({ me }: { me: Me }) {
  return (
    <main className="h-full overflow-y-auto px-4 pt-3 pb-8">
      <h1>{me.full_name}</h1>
      <p className="mb-4 text-quiet">
        signs in as <span className="code">{me.name}</span> · {me.roles.join(', ')}
      </p>
      <div className="grid max-w-[1100px] grid-cols-1 gap-x-12 gap-y-8 lg:grid-cols-[400px_1fr]">
        {me.has_password ? <PasswordBlock /> : <p className="text-quiet">You come in without a password: this is a demo.</p>}
        <FactorBlock me={me} />
        <div className="lg:col-span-2">
          <SessionsBlock />
        </div>
      </div>
    </main>
  );
}

/** Send a form, and keep what refused it or that it was done. */
function useSending(send: (form: FormData) => Promise<unknown>) {
  const [problem, setProblem] = useState<Problem | null>(null);
  const [isDone, setDone] = useState(false);
  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = event.currentTarget;
    setProblem(null);
    setDone(false);
    try {
      await send(new FormData(form));
      form.reset();
      setDone(true);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
    }
  }
  return { problem, isDone, submit };
}

const entered = (form: FormData, name: string) => String(form.get(name) ?? '');

function PasswordBlock() {
  const client = useQueryClient();
  const { problem, isDone, submit } = useSending(async (form) => {
    const body = { present: entered(form, 'present'), password: entered(form, 'password') };
    const me = keepToken(await data(api.POST('/api/me/password', { body })));
    client.setQueryData(meOptions().queryKey, me);
    await client.invalidateQueries({ queryKey: sessionsOptions().queryKey });
  });
  return (
    <section aria-label="Password">
      <h2 className="mb-2">Password</h2>
      <form onSubmit={(e) => void submit(e)} className="space-y-2">
        <Field label="Present one">
          {(id) => <Entry id={id} name="present" type="password" required autoComplete="current-password" />}
        </Field>
        <Field label="New one" hint="ten characters or more, not a common word, not your name, not one of your last">
          {(id, hint) => (
            <Entry id={id} aria-describedby={hint} name="password" type="password" required autoComplete="new-password" />
          )}
        </Field>
        <div className="flex items-center gap-3 pl-[124px]">
          <Button look="act" type="submit">
            Change it
          </Button>
          {isDone && <span role="status">Changed; your other sessions have ended.</span>}
        </div>
      </form>
      {problem && (
        <div className="mt-3">
          <ProblemNote problem={problem} />
        </div>
      )}
    </section>
  );
}

function FactorBlock({ me }: { me: Me }) {
  const [isAsked, setAsked] = useState(false);
  return (
    <section aria-label="Second factor">
      <h2 className="mb-2">Second factor</h2>
      {me.has_second_factor ? (
        <p>
          An authenticator&rsquo;s code is asked for when you sign in.{' '}
          <span className="text-quiet">If it is lost, an administrator takes it away.</span>
        </p>
      ) : isAsked ? (
        <NewFactor />
      ) : (
        <>
          <p className="mb-2 max-w-[60ch] text-quiet">
            With one, signing in asks for six digits of an authenticator on your phone as well: a stolen password alone lets
            nobody in.
          </p>
          <Button onClick={() => setAsked(true)}>Set one up…</Button>
        </>
      )}
    </section>
  );
}

function NewFactor() {
  const client = useQueryClient();
  const offer = useQuery(factorOptions());
  const { problem, submit } = useSending(async (form) => {
    const given = { secret: offer.data?.secret, code: entered(form, 'code').replaceAll(' ', '') };
    await command('set-second-factor', given, { key: crypto.randomUUID() });
    await client.invalidateQueries({ queryKey: meOptions().queryKey });
  });
  return (
    <Loaded query={offer}>
      {(o) => (
        <div className="grid grid-cols-[auto_1fr] gap-4">
          <img src={o.picture} alt="The secret, to scan" width={164} height={164} className="bg-white" />
          <div>
            <p>Scan this with an authenticator, or type the secret into it:</p>
            <p className="code mb-3 break-all">{o.secret.match(/.{1,4}/g)?.join(' ')}</p>
            <form onSubmit={(e) => void submit(e)} className="flex items-end gap-3">
              <Field label="Code it shows">
                {(id) => <Entry id={id} name="code" inputMode="numeric" required autoFocus autoComplete="one-time-code" />}
              </Field>
              <Button look="act" type="submit">
                Use it from now on
              </Button>
            </form>
            {problem && (
              <div className="mt-3">
                <ProblemNote problem={problem} />
              </div>
            )}
          </div>
        </div>
      )}
    </Loaded>
  );
}

function SessionsBlock() {
  const client = useQueryClient();
  const sessions = useQuery(sessionsOptions());
  async function end(number: number) {
    const left = await data(api.POST('/api/me/sessions/{number}/end', { params: { path: { number } } }));
    client.setQueryData(sessionsOptions().queryKey, left);
  }
  return (
    <section aria-label="Sessions">
      <h2 className="mb-1">Where you are signed in</h2>
      <Loaded query={sessions}>
        {(rows) => (
          <table className="rows">
            <thead>
              <tr>
                <th>Address</th>
                <th>browser</th>
                <th>since</th>
                <th>last used</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {rows.map((s) => (
                <tr key={s.number}>
                  <td className="code">{s.address}</td>
                  <td className="max-w-[48ch] truncate text-quiet" title={s.agent}>
                    {s.agent || 'unknown'}
                  </td>
                  <td className="whitespace-nowrap">{moment(s.begun_at)}</td>
                  <td className="whitespace-nowrap">{moment(s.seen_at)}</td>
                  <td className="num">
                    {s.is_this ? (
                      'this one'
                    ) : (
                      <Button look="link" onClick={() => void end(s.number)}>
                        End it
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Loaded>
    </section>
  );
}
