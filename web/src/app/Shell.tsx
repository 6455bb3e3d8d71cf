import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, Outlet, useLocation, useNavigate } from 'react-router';
import { type Me, meOptions } from '../api/queries';
import { shows } from '../commands/told';
import { useCommands } from '../commands/CommandContext';
import { CommandPanel } from '../commands/CommandPanel';
import { useConnection, useLiveUpdates } from '../commands/live';
import { api, data, keepToken, type Outcome } from '../api/http';
import { listenToScanner } from '../lib/wedge';
import { Button } from '../ui/Button';
import { bar, openingOf, useBarEntry } from './benches';
import { DoAnything } from './DoAnything';
import { Peek } from './Peek';
import { Shortcuts } from './Shortcuts';
import { switchTheme } from './theme';

/** The bench bar above; below it the bench, and on the right the command in hand. */
export function Shell({ me }: { me: Me }) {
  useLiveUpdates(true);
  const client = useQueryClient();
  const navigate = useNavigate();
  const { started } = useCommands();
  const at = useBarEntry(useLocation().pathname);
  const shown = bar.filter((b) => !b.seesCosts || me.sees_costs);
  const [isAsking, setAsking] = useState(false);
  const [isHelping, setHelping] = useState(false);

  useEffect(listenToScanner, []);

  useEffect(() => {
    function onKeyDown(event: KeyboardEvent) {
      const inEntry = event.target instanceof HTMLElement && event.target.matches('input, select, textarea');
      if (event.key === 'k' && (event.ctrlKey || event.metaKey)) {
        event.preventDefault();
        setAsking(true);
      } else if (event.key === '?' && !inEntry) {
        event.preventDefault();
        setHelping(true);
      } else if (event.key === 'o' && !inEntry && !event.ctrlKey && !event.altKey && !event.metaKey) {
        event.preventDefault();
        void navigate('/orders/table');
      } else if (event.altKey && /^[1-9]$/.test(event.key)) {
        const to = bar[Number(event.key) - 1]?.to;
        if (!to) return;
        event.preventDefault();
        void navigate(to);
      }
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  }, [navigate]);

  async function signOut() {
    const gone = keepToken(await data(api.POST('/api/sign-out')));
    client.clear();
    client.setQueryData(meOptions().queryKey, gone);
    void navigate('/');
  }

  function onMade(outcome: Outcome) {
    void client.invalidateQueries({ predicate: (q) => shows(q.queryKey, Object.keys(outcome.seen.changes)) });
    const to = openingOf(outcome.made);
    if (to) void navigate(to);
  }

  return (
    <div className="flex h-full flex-col">
      <header className="flex min-h-10 shrink-0 flex-wrap items-center gap-x-5 border-b border-hair-strong px-4 max-md:px-2">
        <nav aria-label="Benches" className="flex h-10 max-md:w-full max-md:overflow-x-auto">
          {shown.map(({ to, name }, n) => (
            <Link
              key={to}
              to={to}
              aria-current={to === at ? 'page' : undefined}
              aria-keyshortcuts={`Alt+${n + 1}`}
              className="flex h-full items-center px-2.5 aria-[current=page]:font-semibold aria-[current=page]:shadow-[inset_0_-3px_0_var(--act)]"
            >
              {name}
            </Link>
          ))}
        </nav>
        <button
          type="button"
          onClick={() => setAsking(true)}
          aria-keyshortcuts="Control+K"
          className="flex h-7 w-[340px] min-w-40 shrink cursor-pointer max-md:my-1 max-md:h-11 max-md:w-full items-center justify-between border border-hair-strong bg-sheet px-2 text-quiet"
        >
          Go to anything, start anything <kbd className="max-md:hidden">Ctrl-K</kbd>
        </button>
        <div className="ml-auto flex items-center gap-4 whitespace-nowrap max-md:my-1 max-md:ml-0 max-md:flex-wrap max-md:gap-y-1">
          <Connection />
          <Button look="link" onClick={() => setHelping(true)}>
            Keys <kbd>?</kbd>
          </Button>
          <Button look="link" onClick={switchTheme}>
            Light or dark
          </Button>
          <Link className="quiet-link" to="/account" title={me.roles.join(', ')}>
            {me.full_name}
          </Link>
          <Button look="link" onClick={() => void signOut()}>
            Sign out
          </Button>
        </div>
      </header>
      <div className="flex min-h-0 flex-1">
        <div className="min-w-0 flex-1">
          <Outlet />
        </div>
        {started && (
          <aside className="w-[368px] shrink-0 border-l border-hair-strong max-md:fixed max-md:inset-0 max-md:z-30 max-md:w-auto max-md:border-0">
            <CommandPanel key={started.run} started={started} onMade={onMade} />
          </aside>
        )}
      </div>
      <Peek />
      {isAsking && <DoAnything onClose={() => setAsking(false)} />}
      {isHelping && <Shortcuts onClose={() => setHelping(false)} />}
    </div>
  );
}

function Connection() {
  const state = useConnection();
  return (
    <span role="status" className={state === 'live' ? 'text-quiet' : 'text-attention'} title="Pages update by themselves while this says live">
      {state === 'live' ? '● live' : '○ connecting'}
    </span>
  );
}
