import { useQuery } from '@tanstack/react-query';
import { type FormEvent, Fragment, useState } from 'react';
import { Link } from 'react-router';
import { ownUnitsOptions, peekOptions } from '../../api/queries';
import { type Item, notesOptions, type RevisionRow, revisionsOptions, rolledOptions, standardOptions, stockOptions, whereUsedOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { DerivationLink } from '../../derivation/DerivationLink';
import { day, moment, shortDay } from '../../lib/date';
import { isZero } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { ItemCode } from '../../ui/ItemCode';
import { Money, Quantity, UnitCost } from '../../ui/Numbers';
import { useMay } from '../../commands/useMay';

export function StandardBlock({ item }: { item: Item }) {
  const { start } = useCommands();
  const may = useMay();
  const standard = useQuery({ ...standardOptions(item.code), enabled: item.standard !== null });
  const rolled = useQuery(rolledOptions(item.code));
  const now = rolled.data?.rolled;
  const s = standard.data;
  return (
    <table className="rows" aria-label="Standard cost">
      <thead>
        <tr>
          <th className="pl-4!">Standard, EUR/{item.unit}</th>
          <th className="num">this level</th>
          <th className="num">lower</th>
        </tr>
      </thead>
      <tbody>
        {s?.elements.map((e) => (
          <tr key={e.element}>
            <td className="pl-4!">{e.element}</td>
            <td className="num" title={e.this_level}>{!isZero(e.this_level) && <Money value={e.this_level} />}</td>
            <td className="num" title={e.lower_levels}>{!isZero(e.lower_levels) && <Money value={e.lower_levels} />}</td>
          </tr>
        ))}
        <tr>
          <td className="pl-4! font-semibold whitespace-nowrap">{s ? `frozen ${day(s.frozen_at.slice(0, 10))}` : 'not frozen yet'}</td>
          <td colSpan={2} className="num font-semibold">
            {s && (
              <>
                <Link className="quiet-link mr-3 font-normal text-act" to={`/define/items/${encodeURIComponent(item.code)}/cost`}>
                  Where it goes
                </Link>
                <DerivationLink rows={s.derivation} title={`Standard of ${item.code}`}>
                  <UnitCost value={s.total} />
                </DerivationLink>
              </>
            )}
          </td>
        </tr>
        {now && now !== s?.total && (
          <tr>
            <td className="pl-4!">
              rolled up now
              {may.has('freeze-standard') && (
                <Button look="link" className="ml-3" onClick={() => start('freeze-standard')}>
                  Freeze the standard…
                </Button>
              )}
            </td>
            <td colSpan={2} className="num">
              <UnitCost value={now} />
            </td>
          </tr>
        )}
        {rolled.data?.missing.map((lack) => (
          <tr key={lack.item}>
            <td colSpan={3} className="pl-4! text-attention">
              {lack.why} {lack.fix}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** That there is more than is listed. */
function More({ page }: { page: { rows: unknown[]; whole: number } | undefined }) {
  if (!page || page.whole <= page.rows.length) return null;
  return (
    <tr>
      <td colSpan={2} className="text-quiet">
        the first {page.rows.length} of {page.whole.toLocaleString()}
      </td>
    </tr>
  );
}

export function StockAndUse({ item }: { item: Item }) {
  const { start } = useCommands();
  const may = useMay();
  const stock = useQuery(stockOptions(item.code));
  const used = useQuery(whereUsedOptions(item.code));
  const units = useQuery(ownUnitsOptions(item.code));
  const peek = useQuery(peekOptions(item.code));
  return (
    <table className="rows" aria-label="Stock and where used">
      <thead>
        <tr>
          <th>On hand at</th>
          <td />
        </tr>
      </thead>
      <tbody>
        {stock.data?.rows.map((s) => (
          <tr key={`${s.place} ${s.lot}`}>
            <td>
              {s.place}
              {s.lot && <span className="code ml-2 text-quiet">{s.lot}</span>}
            </td>
            <td className="num">
              <Quantity value={s.quantity} unit={item.unit} />
            </td>
          </tr>
        ))}
        <More page={stock.data} />
        {stock.data?.whole === 0 && <Nothing words="nowhere" />}
        {units.data?.map((u) => (
          <tr key={u.name}>
            <td className="text-quiet">one {u.name}</td>
            <td className="num">
              = <Quantity value={u.quantity} unit={item.unit} />
            </td>
          </tr>
        ))}
      </tbody>
      <thead>
        <tr>
          <th>Used in, at every level</th>
          <th className="num">in one</th>
        </tr>
      </thead>
      <tbody>
        {used.data?.rows.map((u) => (
          <tr key={u.item}>
            <td>
              <span className="inline-block w-4 text-quiet">{u.level}</span>
              {u.name} <ItemCode code={u.item} />{' '}
              <span className="text-quiet">
                rev {u.revision}
                {u.operations.length > 0 && `, op ${u.operations.join(', ')}`}
              </span>
            </td>
            <td className="num">
              <Quantity value={u.quantity} unit={item.unit} />
            </td>
          </tr>
        ))}
        <More page={used.data} />
        {used.data?.whole === 0 && <Nothing words="no structure in force" />}
        {peek.data?.wanted_by.map((w) => (
          <tr key={`order${w.order}`}>
            <td>
              <Link className="code quiet-link" to={`/orders/${w.order}`}>
                {w.order}
              </Link>{' '}
              {w.name} <span className="text-quiet">still needs it</span>
            </td>
            <td className="num">
              <Quantity value={w.quantity} unit={item.unit} />
            </td>
          </tr>
        ))}
        {used.data && used.data.whole > 0 && may.has('replace-component') && (
          <tr>
            <td colSpan={2}>
              <Button look="link" onClick={() => start('replace-component', { item: item.code })}>
                Replace {item.code} everywhere…
              </Button>
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

function Nothing({ words }: { words: string }) {
  return (
    <tr>
      <td className="text-quiet" colSpan={2}>
        {words}
      </td>
    </tr>
  );
}

/** When a revision counts, in words. */
function effectivity(r: RevisionRow): string {
  if (!r.effective_from) return '';
  return r.effective_to ? `${shortDay(r.effective_from)} – ${shortDay(r.effective_to)}` : `from ${shortDay(r.effective_from)}`;
}

export function RevisionsBlock({ item, shown }: { item: Item; shown: string }) {
  const { start } = useCommands();
  const may = useMay();
  const revisions = useQuery(revisionsOptions(item.code));
  const path = `/define/items/${encodeURIComponent(item.code)}`;
  return (
    <table className="rows" aria-label="Revisions">
      <thead>
        <tr>
          <th>Revision</th>
          <th>state</th>
          <th>in force</th>
          <td />
        </tr>
      </thead>
      <tbody>
        {revisions.data?.map((r, n) => {
          const older = revisions.data[n + 1];
          return (
            <Fragment key={r.letter}>
              <tr className={`${r.letter === shown ? 'bg-sheet' : ''} ${r.note ? '[&>td]:border-b-transparent' : ''}`}>
                <td>
                  <Link className="quiet-link" to={`${path}?rev=${r.letter}`} aria-current={r.letter === shown ? 'true' : undefined}>
                    {r.letter}
                  </Link>
                </td>
                <td className="whitespace-nowrap" title={r.approved_by && `approved by ${r.approved_by}`}>
                  {r.state}
                </td>
                <td className="w-full whitespace-nowrap text-quiet">{effectivity(r)}</td>
                <td className="num">
                  <span className="flex justify-end gap-3">
                    {r.state === 'draft' && may.has('submit-structure') && (
                      <Button look="link" onClick={() => start('submit-structure', { item: item.code })}>
                        Submit…
                      </Button>
                    )}
                    {r.state === 'in review' && may.has('send-back-structure') && (
                      <Button look="link" onClick={() => start('send-back-structure', { item: item.code })}>
                        Send back…
                      </Button>
                    )}
                    {older && (
                      <Link className="quiet-link text-act" to={`${path}/compare?old=${older.letter}&new=${r.letter}`}>
                        Against {older.letter}
                      </Link>
                    )}
                    {may.has('draft-structure') && r.state !== 'draft' && !item.has_draft && (
                      <Link className="quiet-link text-act" to={`${path}/edit?from=${r.letter}`}>
                        Draft from {r.letter}
                      </Link>
                    )}
                  </span>
                </td>
              </tr>
              {r.note && (
                <tr className={r.letter === shown ? 'bg-sheet' : ''}>
                  <td />
                  <td colSpan={3} className="h-[22px]! text-[12px] text-quiet">
                    {[r.approved_by, r.note].filter(Boolean).join(': ')}
                  </td>
                </tr>
              )}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}

/** What people wrote on a thing, the newest first, and the entry for more. */
export function NotesBlock({ kind, code }: { kind: 'item' | 'structure' | 'work center'; code: string }) {
  const { start } = useCommands();
  const may = useMay();
  const notes = useQuery(notesOptions(kind, code));
  const [text, setText] = useState('');
  function submit(event: FormEvent) {
    event.preventDefault();
    if (text) start('write-note', { kind, code, text });
    setText('');
  }
  return (
    <section aria-label={kind === 'item' ? 'Notes' : `Notes on ${code}`} className="px-2">
      <p className="flex h-[24px] items-center border-b border-hair-strong text-[12px] text-quiet">{kind === 'item' ? 'Notes' : `Notes on ${code}`}</p>
      {notes.data?.map((n) => (
        <p key={n.written_at + n.text} className="border-b border-hair py-1">
          {n.text} <span className="text-[12px] text-quiet">{`${n.person || 'the system'}, ${moment(n.written_at)}`}</span>
        </p>
      ))}
      {may.has('write-note') && (
        <form onSubmit={submit} className="flex gap-2 py-1.5">
          <input
            className="entry"
            aria-label={`Note on ${code}`}
            placeholder="Write a note for whoever comes next"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <Button type="submit" disabled={!text}>
            Write…
          </Button>
        </form>
      )}
      {notes.data?.length === 0 && !may.has('write-note') && <p className="py-1 text-quiet">none</p>}
    </section>
  );
}

