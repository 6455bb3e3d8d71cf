import { zodResolver } from '@hookform/resolvers/zod';
import { useQuery } from '@tanstack/react-query';
import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import { type Resolver, useForm, useWatch } from 'react-hook-form';
import type * as z from 'zod';
import { commandsOptions } from '../api/queries';
import { ConsequencesTable } from '../consequences/ConsequencesTable';
import { ApiError, command, type Outcome, passes, type Problem } from '../api/http';
import { usePaused } from '../ui/usePaused';
import { Button } from '../ui/Button';
import { ProblemNote } from '../ui/States';
import { type Started, useCommands } from './CommandContext';
import { EntriesForm } from './EntriesForm';
import { type Form, formOf, sentOf } from './form';
import type { Typed } from './inputs';
import { useChangeOf } from './live';

interface Props {
  started: Started;
  onMade: (outcome: Outcome) => void;
}

/** The command in hand: its entries, its consequences as they would be, and the act. */
export function CommandPanel({ started, onMade }: Props) {
  const form = formOf(started.name);
  return form ? <Panel started={started} form={form} onMade={onMade} /> : null;
}

function Panel({ started, form, onMade }: Props & { form: Form }) {
  const { end, start } = useCommands();
  const commands = useQuery(commandsOptions());
  const { control, handleSubmit } = useForm<Typed>({ defaultValues: started.given, resolver: resolved(form), mode: 'onTouched' });
  const typed = useWatch({ control });
  const [own, setOwn] = useState<{ given: Typed | null; act: string }>({ given: null, act: '' });
  const [refused, setRefused] = useState<{ content: string; problem: Problem } | null>(null);
  const [posted, setPosted] = useState<Outcome | null>(null);
  const [isPosting, setPosting] = useState(false);
  const key = useRef({ content: '', key: '' });
  const panel = useRef<HTMLElement>(null);
  const name = form.command;
  const title = form.title ?? commands.data?.find((c) => c.name === name)?.title ?? name;
  const content = JSON.stringify(form.own ? own.given : sentOf(form, typed));
  const isComplete = content !== 'null';
  const asked = usePaused(content);
  const preview = useQuery({
    queryKey: ['preview', started.name, started.run, asked],
    queryFn: () => command(name, JSON.parse(asked)),
    enabled: posted === null && isComplete && asked !== 'null',
    staleTime: Infinity,
    gcTime: 0,
    retry: (_, error) => passes(error),
    retryDelay: 1000,
  });
  const waits = preview.failureReason instanceof ApiError && preview.isFetching ? preview.failureReason.problem : null;
  const shown = asked === content ? preview.data : undefined;
  const change = useChangeOf(Object.keys(shown?.seen.changes ?? {}), shown?.change ?? 0);
  const answered = asked === content && preview.error instanceof ApiError ? preview.error.problem : null;
  const problem = refused?.content === content ? refused.problem : answered;
  const label = (form.own ? own.act : form.act(typed)) || title;

  useEffect(() => {
    const entry = panel.current?.querySelector<HTMLElement>('input:not([type=checkbox]), select');
    if (!panel.current?.contains(document.activeElement)) (entry ?? panel.current)?.focus();
  }, []);

  async function post() {
    if (!shown || isPosting) return;
    if (key.current.content !== content) key.current = { content, key: crypto.randomUUID() };
    setPosting(true);
    setRefused(null);
    try {
      const outcome = await command(name, JSON.parse(content), { key: key.current.key, seen: shown.seen });
      setPosted(outcome);
      onMade(outcome);
      requestAnimationFrame(() => panel.current?.focus());
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setRefused({ content, problem: error.problem }); // the key stays: if it was posted after all, it is not posted twice
      if (error.problem.code === 'command.changed_since') void preview.refetch();
    } finally {
      setPosting(false);
    }
  }

  function onKeyDown(event: KeyboardEvent) {
    if (event.key === 'Escape') {
      event.preventDefault();
      end();
    } else if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) {
      event.preventDefault();
      if (event.repeat) return;
      if (shown && !preview.isFetching) void post();
      else if (isComplete) void preview.refetch();
      else void handleSubmit(() => undefined)(); // says of each entry what is wrong, and goes to the first
    }
  }

  const Own = form.own;
  return (
    <section
      ref={panel}
      tabIndex={-1}
      aria-label={title}
      onKeyDown={onKeyDown}
      className="arrives flex h-full flex-col bg-sheet outline-none"
    >
      <header className="flex items-baseline justify-between border-b border-hair-strong px-3 py-2">
        <h2>{title}</h2>
        <span role="status" className="text-[12px] text-quiet">
          {posted ? `posted${posted.postings.length ? ` ${posted.postings.join(', ')}` : ''}` : waits ? 'waiting' : preview.isFetching ? 'previewing' : shown ? 'preview' : 'entry'}
        </span>
      </header>
      <div className="min-h-0 flex-1 space-y-3 overflow-y-auto px-3 py-3">
        {posted === null &&
          (Own ? (
            <Own given={started.given} onGiven={(given, act) => setOwn({ given, act })} />
          ) : (
            <EntriesForm form={form} control={control} />
          ))}
        {problem && <ProblemNote problem={problem} />}
        {waits && !problem && (
          <p role="status" className="border-l-4 border-attention bg-attention-wash px-2 py-1">
            {waits.detail} The preview comes when that is done.
          </p>
        )}
        {change && posted === null && (
          <div role="alert" className="border-l-4 border-attention bg-attention-wash px-2 py-1">
            <p>
              {change.person}: {change.title.toLowerCase()}. The consequences may be others now.
            </p>
            <Button look="link" onClick={() => void preview.refetch()}>
              Preview again
            </Button>
          </div>
        )}
        {(posted ?? shown) && <ConsequencesTable of={(posted ?? shown)!.consequences} />}
      </div>
      <footer className="flex items-center gap-3 border-t border-hair-strong px-3 py-2">
        {posted === null ? (
          <>
            <Button look="act" shortcut="Ctrl-Enter" disabled={!shown || isPosting} onClick={() => void post()}>
              {label}
            </Button>
            <Button look="link" onClick={end}>
              Esc leaves
            </Button>
          </>
        ) : (
          <>
            <Button look="plain" onClick={end}>
              Done
            </Button>
            {posted.postings.length > 0 && posted.command !== 'take-back' && posted.command !== 'freeze-standard' && (
              <Button look="link" onClick={() => start('take-back', { posting: posted.postings.at(-1) })}>
                Take back
              </Button>
            )}
          </>
        )}
      </footer>
    </section>
  );
}

/** Return what says of typed entries what is wrong; forms of their own say it themselves. */
const resolved = (form: Form): Resolver<Typed> => zodResolver(form.schema as z.ZodType<Typed, Typed>);
