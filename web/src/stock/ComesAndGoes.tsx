import { useRef, useState } from 'react';
import { day as dayWords, shortDay } from '../lib/date';
import { quantity } from '../lib/decimal';
import { bars, dayAt, dayBeside, type Moving, shareOf, sizeAt, sizeBeside, sizeOf } from './stepped';

const WIDTH = 960;
const LEFT = 44;
const MIDDLE = 34;
const MOST = 30;
const SPAN = WIDTH - LEFT - 16;

/** When a proposal is due, and how much it is. */
export interface Place {
  day: string;
  size: string;
}

type Bar = ReturnType<typeof bars>[number];

interface Props {
  today: string;
  steps: readonly Moving[];
  /** proposals that can be moved to another day and made larger or smaller, by mouse or by arrows and Enter */
  movable?: ReadonlySet<number>;
  onMove?: (proposal: number, to: Place) => void;
}

/** What comes above the line and what goes below it, over the time of the projected stock; what is only proposed is hollow. */
export function ComesAndGoes({ today, steps, movable, onMove }: Props) {
  const found = bars(today, steps);
  const picture = useRef<SVGSVGElement>(null);
  const under = (clientX: number, clientY: number) => {
    const box = picture.current?.querySelector('line')?.getBoundingClientRect();
    if (!box) return { day: today, size: '1' };
    const share = ((box.top - clientY) / box.width) * (SPAN / MOST);
    return { day: dayAt(today, steps, (clientX - box.left) / box.width), size: sizeAt(steps, share) };
  };
  return (
    <svg
      ref={picture}
      role={movable?.size ? 'group' : 'img'}
      aria-label={`What comes and goes: ${steps.length} times`}
      viewBox={`0 0 ${WIDTH} ${MIDDLE * 2}`}
      className="mt-1 block w-full max-w-[1100px] px-4 text-[11px]"
    >
      <line x1={LEFT} x2={LEFT + SPAN} y1={MIDDLE} y2={MIDDLE} className="stroke-hair-strong" />
      <text x={LEFT - 6} y={MIDDLE - 8} textAnchor="end" className="fill-quiet">
        comes
      </text>
      <text x={LEFT - 6} y={MIDDLE + 16} textAnchor="end" className="fill-quiet">
        goes
      </text>
      {found.map((b, n) =>
        b.isProposed && !b.goes && onMove && movable?.has(b.number) ? (
          <Movable
            key={`proposal ${b.number}`}
            bar={b}
            drawn={(at) => shape({ goes: false, size: Math.min(1, sizeOf(steps, at.size)) }, Math.min(1, shareOf(today, steps, at.day)))}
            under={under}
            beside={(on, days) => dayBeside(today, on, days)}
            onMove={onMove}
          />
        ) : (
          <rect key={`${b.at} ${n}`} {...shape(b, b.at)} className={b.isProposed ? 'fill-sheet stroke-act' : b.goes ? 'fill-quiet' : 'fill-act'} />
        ),
      )}
    </svg>
  );
}

const shape = (b: Pick<Bar, 'goes' | 'size'>, at: number) => ({
  x: LEFT + at * SPAN + (b.goes ? 1 : -6),
  y: b.goes ? MIDDLE : MIDDLE - b.size * MOST,
  width: 5,
  height: Math.max(1, b.size * MOST),
});

interface MovableProps {
  bar: Bar;
  drawn: (at: Place) => ReturnType<typeof shape>;
  under: (clientX: number, clientY: number) => Place;
  beside: (day: string, days: number) => string;
  onMove: (proposal: number, to: Place) => void;
}

/** How far up or down [px] the pointer goes before it changes the size: a hand that moves in time trembles. */
const TREMBLE = 4;

/** A proposal that is moved in time and size: both are said while it moves, and the act asks before anything is posted. */
function Movable({ bar: b, drawn, under, beside, onMove }: MovableProps) {
  const was = { day: b.day, size: b.change };
  const [moved, setMoved] = useState<Place | null>(null);
  const from = useRef(0);
  const now = moved ?? was;
  const box = drawn(now);
  const end = () => {
    setMoved(null);
    if (now.day !== was.day || now.size !== was.size) onMove(b.number, now);
  };
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={`Proposal of ${quantity(now.size)} for ${dayWords(now.day)}: arrows move it and change its size, Enter accepts it so`}
      className="cursor-move touch-none outline-none [&:focus-visible>rect]:stroke-2"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = e.clientY;
        setMoved(was);
      }}
      onPointerMove={(e) => {
        if (moved === null || !e.currentTarget.hasPointerCapture(e.pointerId)) return;
        const at = under(e.clientX, e.clientY);
        setMoved(Math.abs(e.clientY - from.current) < TREMBLE ? { ...at, size: moved.size } : at);
      }}
      onPointerUp={() => moved !== null && end()}
      onPointerCancel={() => setMoved(null)}
      onKeyDown={(e) => {
        const days = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        const more = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[e.key];
        if (days) setMoved({ ...now, day: beside(now.day, days) });
        else if (more) setMoved({ ...now, size: sizeBeside(now.size, more) });
        else if (e.key === 'Enter') onMove(b.number, now);
        else if (e.key === 'Escape' && moved !== null) setMoved(null);
        else return;
        e.preventDefault();
        e.stopPropagation();
      }}
      onBlur={() => setMoved(null)}
    >
      <rect {...box} x={box.x - 6} width={17} y={2} height={MIDDLE - 2} className="fill-transparent" />
      <rect {...box} className="fill-sheet stroke-act" />
      {moved !== null && (
        <text x={box.x + 9} y={10} className="fill-act">
          {now.size === was.size ? shortDay(now.day) : `${quantity(now.size)} on ${shortDay(now.day)}`}
        </text>
      )}
    </g>
  );
}
