import { useQuery } from '@tanstack/react-query';
import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import { commandsOptions } from '../api/queries';
import { ConsequencesTable } from '../consequences/ConsequencesTable';
import { ApiError, command, type Outcome, passes, type Problem } from '../api/http';
import { Button } from '../ui/Button';
import { ProblemNote } from '../ui/States';
import { type Started, useCommands } from './CommandContext';
import { commandOf, forms, type Given, isComplete, sent } from './forms';
import { useChangeOf } from './live';
import { IssueForm, ReceiveMaterialForm } from './MaterialForms';
import { CorrectReportForm, ReportForm } from './ReportForm';
import { SimpleForm } from './SimpleForm';

const PAUSE = 300;

/** The command in hand: its entries, its consequences as they would be, and the act. */
export function CommandPanel({ started, onMade }: { started: Started; onMade: (outcome: Outcome) => void }) {
  const { end, start } = useCommands();
  const commands = useQuery(commandsOptions());
  const [given, setGiven] = useState<Given>(started.given);
  const [act, setAct] = useState('');
  const [refused, setRefused] = useState<Problem | null>(null);
  const [posted, setPosted] = useState<Outcome | null>(null);
  const [isPosting, setPosting] = useState(false);
  const key = useRef({ content: '', key: '' });
  const panel = useRef<HTMLElement>(null);
  const spec = forms[started.name];
  const name = commandOf(started.name);
  const title = spec?.title ?? commands.data?.find((c) => c.name === name)?.title ?? name;
  const content = JSON.stringify(sent(given));
  const asked = usePaused(content);
  const preview = useQuery({
    queryKey: ['preview', started.name, started.run, asked],
    queryFn: () => command(name, JSON.parse(asked)),
    enabled: posted === null && isComplete(started.name, JSON.parse(asked)),
    staleTime: Infinity,
    gcTime: 0,
    retry: (_, error) => passes(error),
    retryDelay: 1000,
  });
  const waits = preview.failureReason instanceof ApiError && preview.isFetching ? preview.failureReason.problem : null;
  const shown = asked === content ? preview.data : undefined;
  const change = useChangeOf(Object.keys(shown?.seen.changes ?? {}), shown?.change ?? 0);
  const problem =
    refused ?? (asked === content && preview.error instanceof ApiError ? preview.error.problem : null);
  const label = spec ? spec.act(given) : act || title;

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
      setRefused(error.problem); // the key stays: if it was posted after all, it is not posted twice
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
      else void preview.refetch();
    }
  }

  function patch(more: Given) {
    setRefused(null);
    setGiven((was) => ({ ...was, ...more }));
  }

  function replace(next: Given, words: string) {
    setRefused(null);
    setGiven(next);
    setAct(words);
  }

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
        {posted === null && (
          <Form started={started} given={given} onPatch={patch} onReplace={replace} />
        )}
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

function Form({
  started,
  given,
  onPatch,
  onReplace,
}: {
  started: Started;
  given: Given;
  onPatch: (patch: Given) => void;
  onReplace: (given: Given, act: string) => void;
}) {
  switch (started.name) {
    case 'report':
      return <ReportForm given={started.given} onGiven={onReplace} />;
    case 'correct-report':
      return <CorrectReportForm given={started.given} onGiven={onReplace} />;
    case 'issue-material':
      return <IssueForm given={started.given} onGiven={onReplace} direction="issue" />;
    case 'return-material':
      return <IssueForm given={started.given} onGiven={onReplace} direction="return" />;
    case 'receive-material':
      return <ReceiveMaterialForm given={started.given} onGiven={onReplace} />;
    case 'draft-structure':
      return <p className="text-quiet">The draft as entered on the left.</p>;
    default:
      return <SimpleForm fields={forms[started.name]?.fields ?? []} given={given} onGiven={onPatch} />;
  }
}

/** Return a value once it has rested for a moment. */
function usePaused(value: string): string {
  const [paused, setPaused] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setPaused(value), PAUSE);
    return () => clearTimeout(timer);
  }, [value]);
  return paused;
}
