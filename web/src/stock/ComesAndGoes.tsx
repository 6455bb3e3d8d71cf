import { bars, type Moving } from './stepped';

const WIDTH = 960;
const LEFT = 44;
const MIDDLE = 34;
const MOST = 30;

/** What comes above the line and what goes below it, over the time of the projected stock; what is only proposed is hollow. */
export function ComesAndGoes({ today, steps }: { today: string; steps: readonly Moving[] }) {
  const found = bars(today, steps);
  return (
    <svg role="img" aria-label={`What comes and goes: ${steps.length} times`} viewBox={`0 0 ${WIDTH} ${MIDDLE * 2}`} className="mt-1 block w-full max-w-[1100px] px-4 text-[11px]">
      <line x1={LEFT} x2={WIDTH - 16} y1={MIDDLE} y2={MIDDLE} className="stroke-hair-strong" />
      <text x={LEFT - 6} y={MIDDLE - 8} textAnchor="end" className="fill-quiet">
        comes
      </text>
      <text x={LEFT - 6} y={MIDDLE + 16} textAnchor="end" className="fill-quiet">
        goes
      </text>
      {found.map((b, n) => (
        <rect
          key={`${b.at} ${n}`}
          x={LEFT + b.at * (WIDTH - LEFT - 16) + (b.goes ? 1 : -6)}
          y={b.goes ? MIDDLE : MIDDLE - b.size * MOST}
          width={5}
          height={Math.max(1, b.size * MOST)}
          className={b.isProposed ? 'fill-sheet stroke-act' : b.goes ? 'fill-quiet' : 'fill-act'}
        />
      ))}
    </svg>
  );
}
