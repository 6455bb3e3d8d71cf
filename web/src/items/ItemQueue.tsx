import { useInfiniteQuery } from '@tanstack/react-query';
import { useCallback, useState } from 'react';
import { Link, Outlet, useParams } from 'react-router';
import { itemsOptions } from '../api/queries';
import { useCommands } from '../commands/CommandContext';
import { useReads } from '../commands/useMay';
import { quantity } from '../lib/decimal';
import { Button } from '../ui/Button';
import { Queue } from '../ui/Queue';
import { Loaded } from '../ui/States';

/** Items on the left, the one chosen on the right. */
export function ItemQueue() {
  const { code } = useParams();
  const [filter, setFilter] = useState('');
  const items = useInfiniteQuery(itemsOptions(filter));
  const { fetchNextPage } = items;
  const more = useCallback(() => void fetchNextPage(), [fetchNextPage]);
  const { started, start } = useCommands();
  const reads = useReads();
  const [isOpen, setOpen] = useState(false);
  return (
    <div className="flex h-full max-md:block max-md:overflow-y-auto">
      {started && !isOpen ? (
        <button
          type="button"
          onClick={() => setOpen(true)}
          className="w-10 shrink-0 cursor-pointer max-md:hidden border-r border-hair-strong text-quiet [writing-mode:vertical-rl]"
        >
          Items
        </button>
      ) : (
        <div className={`w-[264px] shrink-0 border-r border-hair-strong max-md:h-72 max-md:w-auto max-md:border-r-0 max-md:border-b ${code === undefined ? '' : 'max-md:hidden'}`}>
          <Loaded query={items}>
            {({ pages }) => (
              <Queue
                title="Items"
                filter={filter}
                onFilter={setFilter}
                onEnd={more}
                found={pages[0]?.found ?? 0}
                whole={pages[0]?.whole ?? 0}
                current={code}
                empty="No item yet. Define the first one below: something that is bought."
                rows={pages.flatMap((p) => p.rows).map((i) => ({
                  key: i.code,
                  to: `/define/items/${encodeURIComponent(i.code)}`,
                  words: `${i.code} ${i.name} ${i.source}`,
                  body: (
                    <>
                      <span className="block truncate">{i.name}</span>
                      <span className="flex justify-between text-[12px] text-quiet">
                        <span className="code text-[12px]!">{i.code}</span>
                        <span>
                          {quantity(i.on_hand)} {i.unit} · {i.source}
                        </span>
                      </span>
                    </>
                  ),
                }))}
                foot={
                  <span className="flex flex-wrap gap-x-4 gap-y-1">
                    <Button look="link" onClick={() => start('define-item')}>
                      Define an item…
                    </Button>
                    <Link className="quiet-link text-act" to="/define/work-centers">
                      Work centers
                    </Link>
                    <Link className="quiet-link text-act" to="/define/calendars">
                      Calendars
                    </Link>
                    <Link className="quiet-link text-act" to="/define/partners">
                      Partners
                    </Link>
                    <Link className="quiet-link text-act" to="/define/places">
                      Places
                    </Link>
                    <Link className="quiet-link text-act" to="/define/reasons">
                      Reasons
                    </Link>
                    {reads.persons && (
                      <Link className="quiet-link text-act" to="/define/persons">
                        Persons
                      </Link>
                    )}
                    <Link className="quiet-link text-act" to="/define/lacks">
                      What is lacking
                    </Link>
                    <Link className="quiet-link text-act" to="/define/exchange">
                      Import, export
                    </Link>
                  </span>
                }
              />
            )}
          </Loaded>
        </div>
      )}
      <main className="min-w-0 flex-1 overflow-y-auto max-md:overflow-visible">
        <Outlet />
      </main>
    </div>
  );
}
