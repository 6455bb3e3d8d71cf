import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

export type Problem = components['schemas']['Problem'];
export type Outcome = components['schemas']['Outcome'];
export type Seen = components['schemas']['Seen'];

/** What the server refused, or what kept the answer from coming. */
export class ApiError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super(problem.title);
    this.problem = problem;
  }
}

/** Whether what kept the answer from coming goes away by itself. */
export function passes(error: unknown): boolean {
  return error instanceof ApiError && ['no_answer', 'service.unavailable', 'command.busy'].includes(error.problem.code);
}

function generic(status: number, detail: string): Problem {
  return {
    type: '/errors/no_answer',
    status,
    title: 'The server gave no answer that can be read.',
    detail,
    fix: 'Check that it runs and try again; nothing entered here is lost.',
    code: 'no_answer',
    context: {},
  };
}

/** The token that proves a request is from our own page; every answer about who is signed in brings it. */
let token = '';

export function keepToken<T extends { csrf: string }>(me: T): T {
  token = me.csrf;
  return me;
}

/** Fetch, and throw an ApiError for everything that is not a good answer. */
async function send(request: Request, isAgain = false): Promise<Response> {
  if (request.method !== 'GET') request.headers.set('X-CSRFToken', token);
  const copy = request.method === 'GET' || isAgain ? null : request.clone();
  let answer: Response;
  try {
    answer = await fetch(request);
  } catch (reason) {
    if (reason instanceof DOMException && reason.name === 'AbortError') throw reason;
    throw new ApiError(generic(0, 'The connection failed.'));
  }
  if (answer.ok) return answer;
  const kind = answer.headers.get('content-type') ?? '';
  const problem = kind.includes('problem+json')
    ? ((await answer.json()) as Problem)
    : generic(answer.status, `It answered with status ${answer.status}.`);
  if (copy && problem.code === 'request.from_elsewhere') {
    // another page has signed in since: its token is ours too
    keepToken((await (await fetch('/api/me')).json()) as { csrf: string });
    return send(copy, true);
  }
  throw new ApiError(problem);
}

export const api = createClient<paths>({ baseUrl: '/', fetch: (request) => send(request) });

/** Return the data of an answer; errors have been thrown before. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}

/** Preview a command or carry it out; commands are called by name, their inputs are checked by the server. */
export async function command(
  name: string,
  given: unknown,
  posting?: { key: string; seen?: Seen },
): Promise<Outcome> {
  const path = posting ? `/api/commands/${name}` : `/api/commands/${name}/preview`;
  const body = JSON.stringify(posting ? { given, ...posting } : { given });
  const answer = await send(
    new Request(path, { method: 'POST', body, headers: { 'Content-Type': 'application/json' } }),
  );
  return (await answer.json()) as Outcome;
}

/** Carry out a command in the background and return its job. */
export async function startJob(name: string, given: unknown): Promise<components['schemas']['JobOut']> {
  const body = JSON.stringify({ given });
  const answer = await send(
    new Request(`/api/jobs/${name}`, { method: 'POST', body, headers: { 'Content-Type': 'application/json' } }),
  );
  return (await answer.json()) as components['schemas']['JobOut'];
}

/** Bring a file to the server and return what it says of it. */
export async function sendFile(path: string, file: File): Promise<unknown> {
  const body = new FormData();
  body.append('file', file);
  return (await send(new Request(path, { method: 'POST', body }))).json();
}
