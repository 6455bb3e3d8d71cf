import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { basicsOptions } from '../../api/queries';
import { scanElsewhere } from '../../lib/wedge';
import { Button } from '../../ui/Button';
import { Entry } from '../../ui/Field';
import { pickListOptions } from './queries';

/** A scanner that is not there: what it reads is typed in the other window, as a real one would type it. */
export function ScannerPage() {
  const number = Number(useSearchParams()[0].get('list') ?? 0);
  const list = useQuery({ ...pickListOptions(number), enabled: number > 0 }).data;
  const places = useQuery(basicsOptions()).data?.places ?? [];
  const [code, setCode] = useState('');
  const [read, setRead] = useState<string[]>([]);
  const scan = (text: string) => {
    if (text.trim() === '') return;
    scanElsewhere(text);
    setRead((was) => [text, ...was].slice(0, 5));
    setCode('');
  };
  const lines = list?.lines ?? [];
  const groups: [string, [code: string, words: string][]][] = list
    ? [
        ['Places', unique(lines.map((n) => [n.place_scans[0] ?? n.place, n.place_name]))],
        ['Items and lots', unique(lines.map((n) => [n.lot_scans.at(-1) ?? n.item_scans[0] ?? n.item, `${n.name} ${n.lot}`]))],
        ['Targets', list.targets.map((t) => [t.scan_code, t.name])],
      ]
    : [['Places', places.slice(0, 60).map((p) => [p.scan_code, p.name])]];
  return (
    <main className="h-full max-w-[720px] overflow-y-auto px-4 pt-3 pb-6">
      <h1>Simulated scanner</h1>
      <p className="text-quiet">Each code is typed, with Enter, into the entry that has the focus in the application’s other windows of this browser.</p>
      <form
        className="my-3 flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          scan(code);
        }}
      >
        <Entry aria-label="Code to scan" placeholder="Any code" value={code} onChange={(e) => setCode(e.target.value)} />
        <Button look="act" type="submit">
          Scan
        </Button>
      </form>
      <p role="status" className="min-h-5 text-quiet">
        {read.length > 0 && `read: ${read.join(', ')}`}
      </p>
      {groups.map(([title, codes]) => (
        <section key={title} aria-label={title} className="mt-3">
          <h2 className="border-b border-hair-strong">{title}</h2>
          <ul className="flex flex-wrap gap-2 pt-2">
            {codes.map(([text, words]) => (
              <li key={text}>
                <Button className="h-auto! py-1 text-left" onClick={() => scan(text)}>
                  <span className="code block text-ink">{text}</span>
                  <span className="block text-[12px] text-quiet">{words}</span>
                </Button>
              </li>
            ))}
          </ul>
        </section>
      ))}
    </main>
  );
}

const unique = (codes: [string, string][]): [string, string][] => [...new Map(codes)];
