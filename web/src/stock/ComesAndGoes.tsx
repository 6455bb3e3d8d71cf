import { useRef, useState } from 'react';
import { day as dayWords, shortDay } from '../lib/date';
import { quantity } from '../lib/decimal';
import { bars, dayAt, dayBeside, type Moving, shareOf } from './stepped';

const WIDTH = 960;
const LEFT = 44;
const MIDDLE = 34;
const MOST = 30;
const SPAN = WIDTH - LEFT - 16;

type Bar = ReturnType<typeof bars>[number];

interface Props {
  today: string;
  steps: readonly Moving[];
  /** proposals that can be moved to another day, by mouse or by arrows and Enter */
  movable?: ReadonlySet<number>;
  onMove?: (proposal: number, day: string) => void;
}

/** What comes above the line and what goes below it, over the time of the projected stock; what is only proposed is hollow. */
export function ComesAndGoes({ today, steps, movable, onMove }: Props) {
  const found = bars(today, steps);
  const picture = useRef<SVGSVGElement>(null);
  const dayUnder = (clientX: number) => {
    const box = picture.current?.querySelector('line')?.getBoundingClientRect();
    return box ? dayAt(today, steps, (clientX - box.left) / box.width) : today;
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
          <Movable key={`proposal ${b.number}`} bar={b} place={(on) => shareOf(today, steps, on)} dayUnder={dayUnder} beside={(on, days) => dayBeside(today, on, days)} onMove={onMove} />
        ) : (
          <rect key={`${b.at} ${n}`} {...shape(b, b.at)} className={b.isProposed ? 'fill-sheet stroke-act' : b.goes ? 'fill-quiet' : 'fill-act'} />
        ),
      )}
    </svg>
  );
}

const shape = (b: Bar, at: number) => ({
  x: LEFT + at * SPAN + (b.goes ? 1 : -6),
  y: b.goes ? MIDDLE : MIDDLE - b.size * MOST,
  width: 5,
  height: Math.max(1, b.size * MOST),
});

interface MovableProps {
  bar: Bar;
  place: (day: string) => number;
  dayUnder: (clientX: number) => string;
  beside: (day: string, days: number) => string;
  onMove: (proposal: number, day: string) => void;
}

/** A proposal that is moved in time: the day is said while it moves, and the act asks before anything is posted. */
function Movable({ bar: b, place, dayUnder, beside, onMove }: MovableProps) {
  const [moved, setMoved] = useState<string | null>(null);
  const on = moved ?? b.day;
  const box = shape(b, Math.min(1, place(on)));
  const end = (day: string) => {
    setMoved(null);
    if (day !== b.day) onMove(b.number, day);
  };
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={`Proposal of ${quantity(b.change)} for ${dayWords(on)}: arrows move it, Enter accepts it for that day`}
      className="cursor-ew-resize touch-none outline-none [&:focus-visible>rect]:stroke-2"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        setMoved(b.day);
      }}
      onPointerMove={(e) => moved !== null && e.currentTarget.hasPointerCapture(e.pointerId) && setMoved(dayUnder(e.clientX))}
      onPointerUp={() => moved !== null && end(moved)}
      onPointerCancel={() => setMoved(null)}
      onKeyDown={(e) => {
        const days = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        if (days) setMoved(beside(on, days));
        else if (e.key === 'Enter') onMove(b.number, on);
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
          {shortDay(moved)}
        </text>
      )}
    </g>
  );
}
