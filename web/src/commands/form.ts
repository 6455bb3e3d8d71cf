/** What a command asks for: entries typed by its input, or a form of its own; benches register theirs here. */

import type { ComponentType } from 'react';
import * as z from 'zod';
import type { Entry } from './entries';
import type { CommandName, Inputs, Sent, Typed } from './inputs';

/** Entries for properties of a command's input: a name or a value that the server does not know stops the build. */
type EntriesFor<G> = { readonly [N in keyof G]?: Entry<NonNullable<G[N]>> };

interface EntriesForm<G> {
  /** where the command's own title says too little */
  title?: string;
  /** what the posting button says, naming the act and its object */
  act: (typed: { readonly [N in keyof G]?: unknown }) => string;
  entries: EntriesFor<G>;
  /** entries filled in before the person has typed anything */
  start?: { readonly [N in keyof G]?: unknown };
  /** starts only from the thing that it acts on */
  fromPage?: true;
  /** what is said where there is nothing to enter */
  words?: string;
}

/** What a form of its own is given, and tells: null as long as something is missing. */
export interface OwnFormProps<G> {
  given: Typed;
  onGiven: (given: Sent<G> | null, act: string) => void;
}

interface OwnForm<G> {
  own: ComponentType<OwnFormProps<G>>;
  fromPage?: true;
}

/** A form as the panel works with it. */
export interface Form {
  /** the command that it carries out */
  command: CommandName;
  title?: string | undefined;
  words?: string | undefined;
  fromPage: boolean;
  act: (typed: Typed) => string;
  entries: Readonly<Record<string, Entry>>;
  start: Typed;
  own?: ComponentType<OwnFormProps<Typed>> | undefined;
  /** what is typed, as it is sent; what a page handed over beside the entries goes along */
  schema: z.ZodType<Typed>;
}

type FormOf<G> = EntriesForm<G> | OwnForm<G>;

/** The types of inputs have done their work where a form is written; the panel takes all forms alike. */
function asForm<G>(command: CommandName, stated: FormOf<G>): Form {
  const given = stated as unknown as FormOf<Typed>;
  const entries = ('entries' in given ? given.entries : {}) as Readonly<Record<string, Entry>>;
  const shape = Object.fromEntries(Object.entries(entries).map(([name, e]) => [name, e.schema]));
  const plain = 'entries' in given ? given : undefined;
  return {
    command,
    title: plain?.title,
    words: plain?.words,
    fromPage: given.fromPage ?? false,
    act: plain?.act ?? (() => ''),
    entries,
    start: plain?.start ?? {},
    own: 'own' in given ? given.own : undefined,
    schema: z.looseObject(shape),
  };
}

/** Return the forms of commands, by command. */
export function commandForms(forms: { readonly [C in CommandName]?: FormOf<Inputs[C]> }): Record<string, Form> {
  return Object.fromEntries(
    Object.entries(forms).map(([name, form]) => [name, asForm(name as CommandName, form as FormOf<unknown>)]),
  );
}

/** Return a form that asks for a part of a command's input, under a name of its own. */
export const partForm = <C extends CommandName>(command: C, form: EntriesForm<Inputs[C]>): Form => asForm(command, form);

/** Return a form of its own for a part of a command's input, started from the page of what it is for. */
export const ownForm = <C extends CommandName>(command: C, own: ComponentType<OwnFormProps<Inputs[C]>>, title: string): Form => ({
  ...asForm(command, { own, fromPage: true } as FormOf<Inputs[C]>),
  title,
});

const registered = new Map<string, Form>();

/** Keep the forms of a bench, each under its name. */
export function registerForms(forms: Readonly<Record<string, Form>>) {
  for (const [name, form] of Object.entries(forms)) registered.set(name, form);
}

export const formOf = (name: string): Form | undefined => registered.get(name);

/** Return what is sent of what was typed, or null as long as something is missing or is no number, day, choice. */
export function sentOf(form: Form, typed: Typed): Typed | null {
  const parsed = form.schema.safeParse(typed);
  return parsed.success ? Object.fromEntries(Object.entries(parsed.data).filter(([, v]) => v !== undefined)) : null;
}

/** Return a typed value as words. */
export const said = (value: unknown) => String(value ?? '');
