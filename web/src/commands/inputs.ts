/** The inputs of all commands, as the server states them. */

import type { paths } from '../api/schema';

export type Inputs = {
  [P in keyof paths as P extends `/api/commands/${infer C}/preview` ? C : never]: paths[P] extends {
    post: { requestBody: { content: { 'application/json': { given: infer G } } } };
  }
    ? G
    : never;
};
export type CommandName = keyof Inputs;

/** What a person has entered so far: anything may be missing or half typed. */
export type Typed = Record<string, unknown>;

/** What is sent of an input: what has a default, or is not known yet, may be left out at any depth. */
export type Sent<G> = G extends readonly (infer R)[] ? Sent<R>[] : G extends object ? { [N in keyof G]?: Sent<G[N]> } : G;
