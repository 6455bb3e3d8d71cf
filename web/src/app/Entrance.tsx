import { useQueryClient } from '@tanstack/react-query';
import { type FormEvent, type ReactNode, useState } from 'react';
import { type Me, meOptions } from '../api/queries';
import { api, ApiError, data, keepToken, type Problem } from '../api/http';
import { Button } from '../ui/Button';
import { Entry, Field } from '../ui/Field';
import { ProblemNote } from '../ui/States';

function Page({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="mx-auto max-w-[640px] px-6 pt-[12vh]">
      <p className="mb-1 text-[13px] text-quiet">Poietic</p>
      <h1 className="mb-4 border-b border-hair-strong pb-2">{title}</h1>
      {children}
    </main>
  );
}

/** Send one of the entrance's forms; what comes back says who is signed in. */
function useEntrance(send: (body: FormData) => Promise<Me>) {
  const client = useQueryClient();
  const [problem, setProblem] = useState<Problem | null>(null);
  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    setProblem(null);
    try {
      const me = keepToken(await send(new FormData(event.currentTarget)));
      client.setQueryData(meOptions().queryKey, me);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
    }
  }
  return { problem, submit };
}

const passwordHint = 'ten characters or more, not a common word, not your name';
/** Whether a refusal only asks for one entry more, which is shown then. */
const asksForMore = (problem: Problem | null) =>
  problem?.code === 'people.factor_needed' || problem?.code === 'people.new_password_needed';
const text = (form: FormData, name: string) => String(form.get(name) ?? '');

export function SignIn({ me }: { me: Me }) {
  const { problem, submit } = useEntrance((form) =>
    data(
      api.POST('/api/sign-in', {
        body: {
          name: text(form, 'name'),
          password: text(form, 'password'),
          factor: text(form, 'factor'),
          new_password: text(form, 'new_password'),
        },
      }),
    ),
  );
  const demo = useEntrance((form) => data(api.POST('/api/demo/sign-in', { body: { name: text(form, 'name') } })));
  return (
    <Page title="Sign in">
      <form onSubmit={(e) => void submit(e)} className="max-w-[380px] space-y-2">
        <Field label="Name">{(id) => <Entry id={id} name="name" required autoFocus autoComplete="username" />}</Field>
        <Field label="Password" hint="or the one-time code you were given">
          {(id, hint) => (
            <Entry id={id} aria-describedby={hint} name="password" type="password" required autoComplete="current-password" />
          )}
        </Field>
        {problem?.code === 'people.factor_needed' && (
          <Field label="Code" hint="six digits of your authenticator">
            {(id, hint) => (
              <Entry id={id} aria-describedby={hint} name="factor" inputMode="numeric" required autoFocus autoComplete="one-time-code" />
            )}
          </Field>
        )}
        {problem?.code === 'people.new_password_needed' && (
          <Field label="New password" hint={passwordHint}>
            {(id, hint) => (
              <Entry id={id} aria-describedby={hint} name="new_password" type="password" required autoFocus autoComplete="new-password" />
            )}
          </Field>
        )}
        <div className="pl-[124px]">
          <Button look="act" type="submit">
            Sign in
          </Button>
        </div>
      </form>
      {(problem ?? demo.problem) && !asksForMore(problem) && <div className="mt-4">{<ProblemNote problem={(problem ?? demo.problem) as Problem} />}</div>}
      {me.demo_people.length > 0 && (
        <section className="mt-8">
          <h2 className="mb-1">Demo: Tarn Hollow Instruments, an invented works</h2>
          <p className="mb-2 text-quiet">Its doors are open on this machine: one person for each role, no password. Choose whom to be.</p>
          <table className="rows">
            <tbody>
              {me.demo_people.map((p) => (
                <tr key={p.name}>
                  <td>{p.full_name}</td>
                  <td className="text-quiet">{p.roles.join(', ')}</td>
                  <td className="num">
                    <form onSubmit={(e) => void demo.submit(e)}>
                      <input type="hidden" name="name" value={p.name} />
                      <Button look="link" type="submit" aria-label={`Sign in as ${p.full_name}`}>
                        Sign in as {p.full_name.split(' ')[0]}
                      </Button>
                    </form>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      <p className="mt-8 text-[13px] text-quiet">
        The HTTP interface is described by{' '}
        <a className="quiet-link" href="/api/openapi.json">
          its OpenAPI document
        </a>
        .
      </p>
    </Page>
  );
}

export function FirstRun() {
  const { problem, submit } = useEntrance((form) =>
    data(
      api.POST('/api/first-person', {
        body: {
          name: text(form, 'name'),
          full_name: text(form, 'full_name'),
          password: text(form, 'password'),
          zone: text(form, 'zone'),
        },
      }),
    ),
  );
  return (
    <Page title="The first person">
      <p className="mb-4">
        This database is empty. Whoever is entered here holds all roles and adds the others later. Then the page
        Today leads through the simplest thing first: one item, its components, one operation, an order, its cost.
      </p>
      <form onSubmit={(e) => void submit(e)} className="max-w-[380px] space-y-2">
        <Field label="Full name">{(id) => <Entry id={id} name="full_name" required autoFocus autoComplete="name" />}</Field>
        <Field label="Sign-in name" hint="letters and digits">
          {(id, hint) => <Entry id={id} aria-describedby={hint} name="name" required autoComplete="username" />}
        </Field>
        <Field label="Time zone" hint="of the works: its days are counted in it, for good">
          {(id, hint) => (
            <Entry
              id={id}
              aria-describedby={hint}
              name="zone"
              required
              defaultValue={Intl.DateTimeFormat().resolvedOptions().timeZone}
            />
          )}
        </Field>
        <Field label="Password" hint={passwordHint}>
          {(id, hint) => (
            <Entry id={id} aria-describedby={hint} name="password" type="password" required autoComplete="new-password" />
          )}
        </Field>
        <div className="pl-[124px]">
          <Button look="act" type="submit">
            Begin
          </Button>
        </div>
      </form>
      {problem && <div className="mt-4">{<ProblemNote problem={problem} />}</div>}
    </Page>
  );
}
