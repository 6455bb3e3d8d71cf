import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import { type Item, itemsOptions, type Revision, structureOptions, workCentersOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { Button } from '../../ui/Button';
import { Entry, NumberEntry } from '../../ui/Field';
import { Empty, Loaded } from '../../ui/States';
import { blankLine, blankOperation, type DraftLine, draftGiven, draftOf, type DraftOperation } from './draft';

/** The draft of a structure: operations with the lines they use, edited in place. */
export function EditPage() {
  const { code = '' } = useParams();
  const items = useQuery(itemsOptions());
  return (
    <Loaded query={items}>
      {(rows) => {
        const item = rows.find((i) => i.code === code);
        if (!item) return <Empty>There is no item {code}.</Empty>;
        if (!item.has_draft && !item.has_approved) return <Editor key={code} item={item} from={undefined} />;
        return <FromRevision key={code} item={item} state={item.has_draft ? 'draft' : 'approved'} />;
      }}
    </Loaded>
  );
}

/** Begin from the draft there is, else from the revision in force; what is entered stays when either changes. */
function FromRevision({ item, state }: { item: Item; state: string }) {
  const [first] = useState(state);
  const revision = useQuery({ ...structureOptions(item.code, first), enabled: (q) => q.state.data === undefined });
  return <Loaded query={revision}>{(r) => <Editor item={item} from={r} />}</Loaded>;
}

function Editor({ item, from }: { item: Item; from: Revision | undefined }) {
  const { code } = item;
  const { start, started } = useCommands();
  const centers = useQuery(workCentersOptions());
  const items = useQuery(itemsOptions());
  const [entered, setOperations] = useState<DraftOperation[]>(() => (from ? draftOf(from) : [blankOperation(10, '')]));
  const [batch, setBatch] = useState(from?.batch_quantity.replace(/\.?0+$/, '') ?? '1');
  const firstCenter = centers.data?.[0]?.code ?? '';
  const operations = entered.map((o) => ({ ...o, work_center: o.work_center || firstCenter }));

  function save() {
    start('draft-structure', draftGiven(code, batch, operations));
  }

  useEffect(() => {
    function onKeyDown(event: KeyboardEvent) {
      if (event.ctrlKey && event.key === 's') {
        event.preventDefault();
        save();
      }
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  });

  const setOperation = (n: number, patch: Partial<DraftOperation>) =>
    setOperations((was) => was.map((o, k) => (k === n ? { ...o, ...patch } : o)));
  const setLine = (n: number, k: number, patch: Partial<DraftLine>) =>
    setOperations((was) =>
      was.map((o, i) => (i === n ? { ...o, lines: o.lines.map((l, j) => (j === k ? { ...l, ...patch } : l)) } : o)),
    );
  const last = Number(operations.at(-1)?.number ?? 0);

  return (
    <article className="min-w-[840px]">
      <header className="flex flex-wrap items-start justify-between gap-2 px-4 pt-3 pb-2">
        <div>
          <h1>
            Draft of{' '}
            <Link className="quiet-link" to={`/define/items/${encodeURIComponent(code)}`}>
              {item.name} <span className="code text-[16px]">{code}</span>
            </Link>
          </h1>
          <p className="text-quiet">
            {from?.state === 'draft' ? `rev ${from.letter}, draft` : from ? `a new draft from rev ${from.letter}` : 'the first draft'} · saving
            does not change what is in force; approving does
          </p>
        </div>
        <div className="flex items-center gap-2">
          <label className="flex items-center gap-1.5 text-quiet">
            Lines stated for
            <NumberEntry className="w-16" value={batch} onValue={setBatch} />
          </label>
          <Button look="act" shortcut="Ctrl-S" onClick={save}>
            Save the draft…
          </Button>
          <Button disabled={!item.has_draft} onClick={() => start('approve-structure', { item: code })}>
            Approve the draft…
          </Button>
        </div>
      </header>
      <datalist id="all-items">
        {items.data
          ?.filter((i) => i.code !== code)
          .map((i) => (
            <option key={i.code} value={i.code}>
              {i.name}
            </option>
          ))}
      </datalist>
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
            <th className="num w-20">yield %</th>
            <th className="w-24">reported</th>
            <td />
          </tr>
        </thead>
        {operations.map((o, n) => (
          <tbody key={n}>
            <tr className="[&>td]:border-t [&>td]:border-t-hair-strong">
              <td className="pl-4!">
                <NumberEntry aria-label={`Number of operation ${n + 1}`} value={o.number} onValue={(v) => setOperation(n, { number: v })} />
              </td>
              <td>
                <Entry
                  aria-label={`Name of operation ${o.number}`}
                  className="font-semibold"
                  placeholder="What is done"
                  value={o.name}
                  onChange={(e) => setOperation(n, { name: e.target.value })}
                />
              </td>
              <td>
                <select
                  aria-label={`Work center of operation ${o.number}`}
                  className="entry"
                  value={o.work_center}
                  onChange={(e) => setOperation(n, { work_center: e.target.value })}
                >
                  {centers.data?.map((w) => (
                    <option key={w.code} value={w.code}>
                      {w.code}
                    </option>
                  ))}
                </select>
              </td>
              {(
                [
                  ['setup_labour_hours', 'Setup labour hours'],
                  ['setup_machine_hours', 'Setup machine hours'],
                  ['run_labour_hours', 'Run labour hours'],
                  ['run_machine_hours', 'Run machine hours'],
                  ['yield', 'Yield in percent'],
                ] as const
              ).map(([field, label]) => (
                <td key={field}>
                  <NumberEntry
                    aria-label={`${label} of operation ${o.number}`}
                    value={o[field]}
                    onValue={(v) => setOperation(n, { [field]: v })}
                  />
                </td>
              ))}
              <td>
                <input
                  type="checkbox"
                  className="mx-2 align-middle"
                  aria-label={`Operation ${o.number} is a report point`}
                  checked={o.is_report_point}
                  onChange={(e) => setOperation(n, { is_report_point: e.target.checked })}
                />
              </td>
              <td className="num pr-4!">
                <Button
                  look="link"
                  aria-label={`Remove operation ${o.number}`}
                  onClick={() => setOperations(operations.filter((_, k) => k !== n))}
                >
                  remove
                </Button>
              </td>
            </tr>
            {o.lines.map((l, k) => (
              <tr key={k}>
                <td className="text-right text-quiet">{l.kind === 'by-product' ? '←' : '│'}</td>
                <td>
                  <Entry
                    list="all-items"
                    className="code"
                    aria-label={`${l.kind} ${k + 1} of operation ${o.number}`}
                    placeholder="Item code"
                    value={l.item}
                    onChange={(e) => setLine(n, k, { item: e.target.value })}
                  />
                </td>
                <td>
                  {l.kind === 'component' ? (
                    <select
                      aria-label={`${l.item} per`}
                      className="entry"
                      value={l.per}
                      onChange={(e) => setLine(n, k, { per: e.target.value })}
                    >
                      <option value="unit">per unit</option>
                      <option value="order">per order</option>
                    </select>
                  ) : (
                    <span className="text-quiet">by-product</span>
                  )}
                </td>
                <td colSpan={2}>
                  <label className="flex items-center gap-1 text-[12px] whitespace-nowrap text-quiet">
                    {items.data?.find((i) => i.code === l.item)?.unit ?? 'qty'}
                    <NumberEntry aria-label={`Quantity of ${l.item}`} value={l.quantity} onValue={(v) => setLine(n, k, { quantity: v })} />
                  </label>
                </td>
                <td colSpan={2}>
                  <label className="flex items-center gap-1 text-[12px] whitespace-nowrap text-quiet">
                    {l.kind === 'component' ? 'allowance %' : 'credit EUR'}
                    <NumberEntry
                      aria-label={`${l.kind === 'component' ? 'Allowance' : 'Credit price'} of ${l.item}`}
                      value={l.kind === 'component' ? l.allowance : l.credit_price}
                      onValue={(v) => setLine(n, k, l.kind === 'component' ? { allowance: v } : { credit_price: v })}
                    />
                  </label>
                </td>
                <td colSpan={2}>
                  {l.kind === 'component' && (
                    <select
                      aria-label={`Issue rule of ${l.item}`}
                      className="entry"
                      value={l.issue_rule}
                      onChange={(e) => setLine(n, k, { issue_rule: e.target.value })}
                    >
                      <option value="by hand">issued by hand</option>
                      <option value="at operation">backflushed</option>
                    </select>
                  )}
                </td>
                <td className="num pr-4!">
                  <Button
                    look="link"
                    aria-label={`Remove ${l.item} from operation ${o.number}`}
                    onClick={() => setOperation(n, { lines: o.lines.filter((_, j) => j !== k) })}
                  >
                    remove
                  </Button>
                </td>
              </tr>
            ))}
            <tr>
              <td />
              <td colSpan={9}>
                <span className="flex gap-4">
                  <Button look="link" onClick={() => setOperation(n, { lines: [...o.lines, blankLine('component')] })}>
                    Add a component to {o.number}
                  </Button>
                  <Button look="link" onClick={() => setOperation(n, { lines: [...o.lines, blankLine('by-product')] })}>
                    Add a by-product to {o.number}
                  </Button>
                </span>
              </td>
            </tr>
          </tbody>
        ))}
      </table>
      <p className="border-t border-hair-strong px-4 py-2">
        <Button onClick={() => setOperations([...operations, blankOperation(last + 10, firstCenter)])}>
          Add operation {last + 10}
        </Button>
      </p>
    </article>
  );
}
