import { useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { Dialog } from 'radix-ui';
import { type KeyboardEvent as KeyboardEventOf, useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { commandsOptions, type Found, findOptions } from '../api/queries';
import { useCommands } from '../commands/CommandContext';
import { formOf } from '../commands/form';
import { benches } from './benches';

const pages = benches.flatMap((b) => b.pages ?? []);
const headings = Object.assign({}, ...benches.map((b) => b.found)) as Record<string, string>;

/** Rank what holds every word asked for: a code or word that begins with it comes first. */
function matches(value: string, asked: string): number {
  const text = value.toLowerCase();
  const words = asked.toLowerCase().split(' ').filter(Boolean);
  if (!words.every((w) => text.includes(w))) return 0;
  return words.every((w) => text.startsWith(w)) ? 1 : words.every((w) => ` ${text}`.includes(` ${w}`)) ? 0.8 : 0.5;
}

/** Return what has the words, the best first; everything where nothing is asked. */
function best<T extends { value: string }>(rows: T[], asked: string): T[] {
  if (asked.trim() === '') return rows;
  return rows
    .map((row) => ({ row, score: matches(row.value, asked) }))
    .filter((r) => r.score > 0)
    .toSorted((a, b) => b.score - a.score)
    .map((r) => r.row);
}

/** Go to anything by code or words, start any command that the person may run. */
export function DoAnything({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const { start } = useCommands();
  const commands = useQuery(commandsOptions());
  const [asked, setAsked] = useState('');
  const [selected, setSelected] = useState('');
  const found = useQuery(findOptions(asked));
  const isAsked = asked.trim() !== '';
  const isThere = !commands.isPending && (!isAsked || (found.isSuccess && !found.isPlaceholderData));
  const things = isAsked ? (found.data ?? []) : [];
  const here = pages.map(([to, words]) => ({ value: `${words} page`, words, to }));
  const begun = (commands.data ?? [])
    .filter((c) => formOf(c.name)?.fromPage === false)
    .map((c) => ({ value: `${c.title} command`, words: `${c.title}…`, name: c.name }));
  const local = { pages: best(here, asked), commands: best(begun, asked) };
  const isMeant = [...local.pages, ...local.commands].some((l) => matches(l.value, asked) === 1);
  const isCode = things.some((t) => t.code.toLowerCase().startsWith(asked.trim().toLowerCase()));
  const isLocalFirst = isAsked && isMeant && !isCode;
  const firstThing = things[0] && `${things[0].kind} ${things[0].code}`;
  const firstLocal = local.pages[0]?.value ?? local.commands[0]?.value;
  const first = (isLocalFirst ? firstLocal : (firstThing ?? firstLocal)) ?? '';
  const [chosen, setChosen] = useState(first);
  if (chosen !== first) {
    // what fits best is chosen, as long as the person has not moved to another row since
    setChosen(first);
    setSelected(first);
  }
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
          <Command label="Go to anything, start anything" loop shouldFilter={false} value={selected} onValueChange={setSelected}>
            <Command.Input
              autoFocus
              value={asked}
              onValueChange={setAsked}
              onKeyDown={onEarlyEnter}
              placeholder="Order number, item code, lot, words, or a command"
              className="h-11 w-full border-b border-hair-strong bg-transparent px-4 text-[16px] outline-none"
            />
            <Command.List className="max-h-[60vh] overflow-y-auto pb-2">
              {isThere && <Command.Empty className="px-4 py-4 text-quiet">Nothing has that code or these words.</Command.Empty>}
              {!isLocalFirst && <Things things={things} onGo={go} />}
              {local.pages.length > 0 && (
                <Group heading="Pages">
                  {local.pages.map((p) => (
                    <Row key={p.to} value={p.value} onSelect={() => go(p.to)}>
                      <span className="flex-1">{p.words}</span>
                    </Row>
                  ))}
                </Group>
              )}
              {local.commands.length > 0 && (
                <Group heading="Commands">
                  {local.commands.map((c) => (
                    <Row
                      key={c.name}
                      value={c.value}
                      onSelect={() => {
                        onClose();
                        start(c.name);
                      }}
                    >
                      <span className="flex-1">{c.words}</span>
                    </Row>
                  ))}
                </Group>
              )}
              {isLocalFirst && <Things things={things} onGo={go} />}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** What was found, by kind. */
function Things({ things, onGo }: { things: Found[]; onGo: (to: string) => void }) {
  const kinds = [...new Set(things.map((t) => t.kind))];
  return kinds.map((kind) => (
    <Group key={kind} heading={headings[kind] ?? kind}>
      {things
        .filter((t) => t.kind === kind)
        .map((t, n) => (
          <Row key={n} value={`${t.kind} ${t.code}`} onSelect={() => onGo(t.to)}>
            <span className="code w-28 truncate">{t.code}</span>
            <span className="flex-1 truncate">{t.words}</span>
            <span className="text-quiet">{t.beside}</span>
          </Row>
        ))}
    </Group>
  ));
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
