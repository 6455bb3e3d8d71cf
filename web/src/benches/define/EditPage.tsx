import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { namedItemsOptions, workCentersOptions } from '../../api/queries';
import { documentsOptions, type Item, itemOptions, type Revision, revisionOptions, revisionsOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { FoundList } from '../../commands/FoundList';
import { ApiError, command, type Outcome } from '../../api/http';
import { OperationGraph } from '../../structure/OperationGraph';
import { Button } from '../../ui/Button';
import { Entry, NumberEntry } from '../../ui/Field';
import { Loaded, ProblemNote } from '../../ui/States';
import {
  afterGiven,
  bareLinesOf,
  blankLine,
  blankOperation,
  componentsBy,
  blankWhole,
  draftGiven,
  draftOf,
  type DraftLine,
  type DraftOperation,
  type DraftWhole,
  linesFromTsv,
  wholeOf,
} from './draft';
import { DraftOutputs } from './DraftOutputs';
import { LineRows, OperationRows } from './DraftRows';
import { useUndo } from './useUndo';

const PAUSE = 500;

/** The draft of a structure: operations with the lines they use, edited in place. */
export function EditPage() {
  const { code = '' } = useParams();
  const [query] = useSearchParams();
  const one = useQuery(itemOptions(code));
  const revisions = useQuery(revisionsOptions(code));
  const copied = query.get('copy') ?? '';
  const others = useQuery({ ...revisionsOptions(copied), enabled: copied !== '' });
  return (
    <Loaded query={one}>
      {(item) => {
        return (
          <Loaded query={revisions}>
            {(known) => {
              const own = query.get('own');
              if (own) return <FromRevision key={own} item={item} source={code} letter={own} />;
              const open = known.find((r) => r.state === 'draft' || r.state === 'in review');
              if (copied && !open) {
                return (
                  <Loaded query={others}>
                    {(theirs) => <FromRevision key={copied} item={item} source={copied} letter={theirs[0]?.letter ?? ''} />}
                  </Loaded>
                );
              }
              const letter = open?.letter ?? query.get('from') ?? known[0]?.letter;
              if (!letter) return <First key={code} item={item} />;
              return <FromRevision key={letter} item={item} source={code} letter={letter} />;
            }}
          </Loaded>
        );
      }}
    </Loaded>
  );
}

/** Begin with one empty operation, or with a copy of another item's structure. */
function First({ item }: { item: Item }) {
  const [typed, setTyped] = useState('');
  const navigate = useNavigate();
  return (
    <>
      <Editor item={item} from={undefined} />
      <form
        className="flex flex-wrap items-center gap-2 px-4 py-2 text-quiet"
        onSubmit={(e) => {
          e.preventDefault();
          if (typed) void navigate(`?copy=${encodeURIComponent(typed)}`);
        }}
      >
        <label className="flex items-center gap-2">
          Or begin with a copy of
          <Entry className="code w-48!" list="structures" value={typed} onChange={(e) => setTyped(e.target.value)} />
        </label>
        <FoundList id="structures" kind="structure" typed={typed} />
        <Button type="submit">Copy</Button>
      </form>
    </>
  );
}

/** Begin from the draft there is, else from another revision; what is entered stays when either changes. */
function FromRevision({ item, source, letter }: { item: Item; source: string; letter: string }) {
  const [first] = useState({ source, letter });
  const revision = useQuery({ ...revisionOptions(first.source, first.letter), enabled: (q) => q.state.data === undefined });
  return <Loaded query={revision}>{(r) => <Editor item={item} from={r} />}</Loaded>;
}

interface Draft extends DraftWhole {
  operations: DraftOperation[];
  /** of a phantom without operations */
  bare: DraftLine[];
}

function Editor({ item, from }: { item: Item; from: Revision | undefined }) {
  const { code } = item;
  const [query] = useSearchParams();
  const own = query.get('own');
  const { start, started } = useCommands();
  const centers = useQuery(workCentersOptions());
  const [typed, setTyped] = useState('');
  const draft = useUndo<Draft>(() => ({
    ...(from ? wholeOf(from) : blankWhole),
    operations: from ? draftOf(from) : item.is_phantom ? [] : [blankOperation(10, '')],
    bare: from ? bareLinesOf(from) : [],
  }));
  const { undo, redo } = draft;
  const firstCenter = centers.data?.[0]?.code ?? '';
  const operations = draft.state.operations.map((o) => ({ ...o, work_center: o.work_center || firstCenter }));
  const given = { ...draftGiven(code, draft.state, operations, draft.state.bare), ...(own ? { letter: own } : {}) };
  const setOperations = (change: (was: DraftOperation[]) => DraftOperation[]) =>
    draft.set((was) => ({ ...was, operations: change(was.operations) }));

  useEffect(() => {
    function onKeyDown(event: KeyboardEvent) {
      if (!event.ctrlKey) return;
      if (event.key === 's') start('draft-structure', given);
      else if (event.key === 'z' && !event.shiftKey) undo();
      else if (event.key === 'y' || (event.key.toLowerCase() === 'z' && event.shiftKey)) redo();
      else return;
      event.preventDefault();
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  });

  useFocusAt();
  const pictures = useQuery(documentsOptions(code)).data?.map((d) => d.name) ?? [];
  const lines = [...draft.state.bare, ...draft.state.operations.flatMap((o) => o.lines)];
  const used = [...new Set(lines.map((l) => l.item).filter(Boolean))].toSorted();
  const items = useQuery(namedItemsOptions(used));
  const setBare = (bare: DraftLine[]) => draft.set((was) => ({ ...was, bare }));
  const last = Number(operations.at(-1)?.number ?? 0);
  const branches = operations.map((o) => ({ number: Number(o.number), name: o.name, after: afterGiven(o.after).after ?? null }));
  return (
    <article
      className="md:min-w-[840px]"
      onInput={(e) => {
        if (e.target instanceof HTMLInputElement && e.target.list?.id === 'all-items') setTyped(e.target.value);
      }}
    >
      <header className="flex flex-wrap items-start justify-between gap-2 px-4 pt-3 pb-2">
        <div>
          <h1>
            Draft of{' '}
            <Link className="quiet-link" to={`/define/items/${encodeURIComponent(code)}`}>
              {item.name} <span className="code text-[16px]">{code}</span>
            </Link>
          </h1>
          <p className="text-quiet">
            {own && from
              ? `structure ${from.letter} of ${from.note}`
              : from?.state === 'draft' && from.item === code
              ? `rev ${from.letter}, draft`
              : from
                ? `a new draft from ${from.item === code ? '' : `${from.item} `}rev ${from.letter}`
                : 'the first draft'}{' '}
            · {own ? 'approved, it is for this line only' : 'saving does not change what is in force; approving does'}
          </p>
        </div>
        <div className="flex flex-wrap items-center gap-2">
          <label className="flex items-center gap-1.5 text-quiet">
            Lines stated for
            <NumberEntry className="w-16" value={draft.state.batch} onValue={(batch) => draft.set((was) => ({ ...was, batch }))} />
          </label>
          <Button disabled={!draft.canUndo} onClick={undo} shortcut="Ctrl-Z">
            Undo
          </Button>
          <Button look="act" shortcut="Ctrl-S" onClick={() => start('draft-structure', given)}>
            Save the draft…
          </Button>
          {own ? (
            <Button onClick={() => start('approve-line-structure', { customer_order: Number(query.get('order')), line: Number(query.get('line')) })}>
              Approve for the line…
            </Button>
          ) : (
            <Button disabled={!item.has_draft} onClick={() => start('approve-structure', { item: code })}>
              Approve the draft…
            </Button>
          )}
        </div>
      </header>
      <FoundList id="all-items" kind="item" typed={typed} />
      <Faults given={given} />
      {branches.some((b) => b.after !== null) && <OperationGraph operations={branches} />}
      <table className={`rows ${started ? 'text-[13px]' : ''}`} aria-label={`Draft of ${code}`}>
        <thead>
          <tr>
            <th className="w-16 pl-4!">Op</th>
            <th>Operation, or item</th>
            <th className="w-28">work center, or per</th>
            <th className="num w-20">setup h: people</th>
            <th className="num w-20">machine</th>
            <th className="num w-20">run h: people</th>
            <th className="num w-20">machine</th>
            <th className="num w-20">yield %, or</th>
            <th className="w-20">reported, or issued</th>
            <td className="w-28" />
          </tr>
        </thead>
        {operations.map((o, n) => (
          <OperationRows
            key={o.id}
            operation={o}
            centers={centers.data ?? []}
            items={items.data ?? []}
            pictures={pictures}
            components={componentsBy(operations, o)}
            onChange={(patch) => setOperations((was) => was.map((w, k) => (k === n ? { ...w, ...patch } : w)))}
            onRemove={() => setOperations((was) => was.filter((_, k) => k !== n))}
          />
        ))}
        {item.is_phantom && operations.length === 0 && (
          <BareRows lines={draft.state.bare} items={items.data ?? []} onLines={setBare} />
        )}
      </table>
      <DraftOutputs
        whole={draft.state}
        hasCoProducts={operations.some((o) => o.lines.some((l) => l.kind === 'co-product'))}
        onChange={(patch) => draft.set((was) => ({ ...was, ...patch }))}
      />
      <p className="border-t border-hair-strong px-4 py-2">
        <Button onClick={() => setOperations((was) => [...was, blankOperation(last + 10, firstCenter)])}>Add operation {last + 10}</Button>
      </p>
    </article>
  );
}

/** Put the focus on the row that the address names: "operation 20", or an item's code. */
function useFocusAt() {
  const [query] = useSearchParams();
  const at = query.get('at');
  useEffect(() => {
    if (!at) return;
    const label = at.startsWith('operation ') ? `Name of ${at}` : `Quantity of ${at}`;
    document.querySelector<HTMLInputElement>(`input[aria-label="${CSS.escape(label)}"]`)?.focus();
  }, [at]);
}

/** The lines of a phantom that has no operations: they go to the operation that uses it. */
function BareRows({ lines, items, onLines }: { lines: DraftLine[]; items: Item[]; onLines: (lines: DraftLine[]) => void }) {
  return (
    <tbody>
      {lines.map((l, k) => (
        <LineRows
          key={l.id}
          line={l}
          label={`component ${k + 1}`}
          unit={items.find((i) => i.code === l.item)?.unit}
          onChange={(patch) => onLines(lines.map((was, j) => (j === k ? { ...was, ...patch } : was)))}
          onPaste={(event) => {
            const text = event.clipboardData.getData('text/plain');
            if (!/[\t\n]/.test(text.trim())) return;
            event.preventDefault();
            onLines([...lines.slice(0, k), ...linesFromTsv(text), ...lines.slice(k).filter((was) => was.item)]);
          }}
          onRemove={() => onLines(lines.filter((_, j) => j !== k))}
        />
      ))}
      <tr>
        <td />
        <td colSpan={9}>
          <Button look="link" onClick={() => onLines([...lines, blankLine('component')])}>
            Add a component
          </Button>
          <span className="ml-3 text-quiet">A phantom without operations: its lines go to the operation that uses it.</span>
        </td>
      </tr>
    </tbody>
  );
}

/** What will not work, said while it is being entered: the preview of saving, without its panel. */
function Faults({ given }: { given: object }) {
  const content = JSON.stringify(given);
  const [asked, setAsked] = useState(content);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(content), PAUSE);
    return () => clearTimeout(timer);
  }, [content]);
  const isNamed = !/"name":""|"item":"","batch/.test(asked);
  const check = useQuery<Outcome>({
    queryKey: ['preview', 'draft-check', asked],
    queryFn: () => command('draft-structure', JSON.parse(asked)),
    enabled: isNamed,
    retry: false,
    gcTime: 0,
  });
  if (!isNamed) return <p className="px-4 pb-1 text-quiet">Each operation needs a name.</p>;
  if (check.error instanceof ApiError) {
    return (
      <div className="px-4 pb-2">
        <ProblemNote problem={check.error.problem} />
      </div>
    );
  }
  const faults = check.data?.consequences.remarks ?? [];
  return (
    <p role="status" className={`px-4 pb-1 ${faults.length > 0 ? 'text-attention' : 'text-quiet'}`}>
      {check.isFetching && !check.data ? 'Checking' : faults.length === 0 ? 'Nothing stands against approving it.' : faults.map((f) => f.text).join(' ')}
    </p>
  );
}
