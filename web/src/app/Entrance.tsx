import { useQueryClient } from '@tanstack/react-query';
import { type FormEvent, type ReactNode, useState } from 'react';
import { type Me, meOptions } from '../api/queries';
import { api, ApiError, data, type Problem } from '../lib/http';
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
      const me = await send(new FormData(event.currentTarget));
      client.setQueryData(meOptions().queryKey, me);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
    }
  }
  return { problem, submit };
}

const text = (form: FormData, name: string) => String(form.get(name) ?? '');

export function SignIn({ me }: { me: Me }) {
  const signIn = (name: string, password: string) => data(api.POST('/api/sign-in', { body: { name, password } }));
  const { problem, submit } = useEntrance((form) => signIn(text(form, 'name'), text(form, 'password')));
  const demo = useEntrance((form) => signIn(text(form, 'name'), me.demo_password));
  return (
    <Page title="Sign in">
      <form onSubmit={(e) => void submit(e)} className="max-w-[380px] space-y-2">
        <Field label="Name">{(id) => <Entry id={id} name="name" required autoFocus autoComplete="username" />}</Field>
        <Field label="Password">
          {(id) => <Entry id={id} name="password" type="password" required autoComplete="current-password" />}
        </Field>
        <div className="pl-[124px]">
          <Button look="act" type="submit">
            Sign in
          </Button>
        </div>
      </form>
      {(problem ?? demo.problem) && <div className="mt-4">{<ProblemNote problem={(problem ?? demo.problem) as Problem} />}</div>}
      {me.demo_people.length > 0 && (
        <section className="mt-8">
          <h2 className="mb-1">Demo: Tarn Hollow Instruments, an invented works</h2>
          <p className="mb-2 text-quiet">One person for each role. Choose whom to be.</p>
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
        body: { name: text(form, 'name'), full_name: text(form, 'full_name'), password: text(form, 'password') },
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
        <Field label="Password" hint="eight characters or more, not a common word">
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
