import { useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { Dialog } from 'radix-ui';
import { type KeyboardEvent as KeyboardEventOf, useEffect, useRef } from 'react';
import { useNavigate } from 'react-router';
import { commandsOptions, itemsOptions, ordersOptions, workCentersOptions } from '../api/queries';
import { useCommands } from '../commands/CommandContext';
import { forms } from '../commands/forms';

/** Commands that start without a page; the others start from the thing that they act on. */
const fromPages = new Set(['draft-structure', 'correct-report', 'import-tables', 'close-holidays', 'attach-document', 'detach-document', 'change-partner']);

const pages = [
  ['/cost/standards', 'Standards: in force, next, what-ifs'],
  ['/cost/margin', 'Margin: list prices less standards, worst first'],
  ['/define/work-centers', 'Work centers'],
  ['/define/calendars', 'Calendars'],
  ['/define/partners', 'Partners: suppliers and customers'],
  ['/define/places', 'Places where stock lies'],
  ['/define/reasons', 'Reasons for scrap, over-issue, holds, adjustments'],
  ['/define/persons', 'Persons and their roles'],
  ['/define/lacks', 'What would stop the next order'],
  ['/define/exchange', 'Import and export'],
] as const;

/** Rank what holds every word asked for: a code or word that begins with it comes first. */
function matches(value: string, asked: string): number {
  const text = value.toLowerCase();
  const words = asked.toLowerCase().split(' ').filter(Boolean);
  if (!words.every((w) => text.includes(w))) return 0;
  return words.every((w) => text.startsWith(w)) ? 1 : words.every((w) => ` ${text}`.includes(` ${w}`)) ? 0.8 : 0.5;
}

/** Go to anything by code or words, start any command that the person may run. */
export function DoAnything({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const { start } = useCommands();
  const commands = useQuery(commandsOptions());
  const items = useQuery(itemsOptions());
  const orders = useQuery(ordersOptions());
  const centers = useQuery(workCentersOptions());
  const isThere = !orders.isPending && !items.isPending && !commands.isPending;
  const waiting = useRef<HTMLInputElement | null>(null);
  useEffect(() => {
    // Enter was pressed before the lists were there: it counts once they are
    const input = waiting.current;
    if (!isThere || !input) return;
    waiting.current = null;
    requestAnimationFrame(() =>
      requestAnimationFrame(() => input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))),
    );
  }, [isThere]);
  function onEarlyEnter(event: KeyboardEventOf<HTMLInputElement>) {
    if (event.key !== 'Enter' || isThere) return;
    event.preventDefault();
    waiting.current = event.currentTarget;
  }
  const go = (to: string) => {
    onClose();
    void navigate(to);
  };
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/20" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[8vh] left-1/2 z-40 w-[620px] max-w-[92vw] -translate-x-1/2 border border-hair-strong bg-sheet"
        >
          <Dialog.Title className="sr-only">Go to anything, start anything</Dialog.Title>
          <Command label="Go to anything, start anything" loop filter={matches}>
            <Command.Input
              autoFocus
              onKeyDown={onEarlyEnter}
              placeholder="Order number, item code, words, or a command"
              className="h-11 w-full border-b border-hair-strong bg-transparent px-4 text-[16px] outline-none"
            />
            <Command.List className="max-h-[60vh] overflow-y-auto pb-2">
              <Command.Empty className="px-4 py-4 text-quiet">Nothing has that code or these words.</Command.Empty>
              <Group heading="Orders">
                {(orders.data ?? []).map((o) => (
                  <Row key={o.number} value={`${o.number} ${o.item} ${o.name} ${o.state}`} onSelect={() => go(`/orders/${o.number}`)}>
                    <span className="code w-28">{o.number}</span>
                    <span className="flex-1 truncate">
                      {o.name} <span className="code">{o.item}</span>
                    </span>
                    <span className="text-quiet">{o.state}</span>
                  </Row>
                ))}
              </Group>
              <Group heading="Items">
                {(items.data ?? []).map((i) => (
                  <Row key={i.code} value={`${i.code} ${i.name} item`} onSelect={() => go(`/define/items/${encodeURIComponent(i.code)}`)}>
                    <span className="code w-28">{i.code}</span>
                    <span className="flex-1 truncate">{i.name}</span>
                    <span className="text-quiet">{i.source}</span>
                  </Row>
                ))}
              </Group>
              <Group heading="Work centers">
                {(centers.data ?? []).map((w) => (
                  <Row key={w.code} value={`${w.code} ${w.name} work center`} onSelect={() => go(`/define/work-centers?code=${encodeURIComponent(w.code)}`)}>
                    <span className="code w-28">{w.code}</span>
                    <span className="flex-1 truncate">{w.name}</span>
                  </Row>
                ))}
              </Group>
              <Group heading="Pages">
                {pages.map(([to, words]) => (
                  <Row key={to} value={`${words} page`} onSelect={() => go(to)}>
                    <span className="flex-1">{words}</span>
                  </Row>
                ))}
              </Group>
              <Group heading="Commands">
                {(commands.data ?? [])
                  .filter((c) => !fromPages.has(c.name) && (forms[c.name] ?? c.name === 'receive-material'))
                  .map((c) => (
                    <Row
                      key={c.name}
                      value={`${c.title} command`}
                      onSelect={() => {
                        onClose();
                        start(c.name);
                      }}
                    >
                      <span className="flex-1">{c.title}…</span>
                    </Row>
                  ))}
              </Group>
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Group({ heading, children }: { heading: string; children: React.ReactNode }) {
  return (
    <Command.Group
      heading={heading}
      className="[&_[cmdk-group-heading]]:px-4 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-[12px] [&_[cmdk-group-heading]]:text-quiet"
    >
      {children}
    </Command.Group>
  );
}

function Row({ children, ...rest }: React.ComponentProps<typeof Command.Item>) {
  return (
    <Command.Item
      {...rest}
      className="flex h-7 cursor-pointer items-center gap-2 px-4 data-[selected=true]:bg-act-wash"
    >
      {children}
    </Command.Item>
  );
}
