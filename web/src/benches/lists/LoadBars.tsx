import { shortDay } from '../../lib/date';
import { hours } from './logic';
import type { Load } from './queries';

interface Bar {
  key: string;
  /** named below it */
  name: string;
  capacity: string;
  released: string;
  planned: string;
}

/** Bars of load, what runs below what is planned, with the capacity as a line over each. */
function Bars({ bars, most, label, height, names }: { bars: Bar[]; most: string; label: string; height: number; names: boolean }) {
  const width = 100 / bars.length;
  const y = (value: string) => height - (Number(value) / Number(most)) * (height - 4);
  return (
    <div>
      <svg role="img" aria-label={label} viewBox={`0 0 100 ${height}`} preserveAspectRatio="none" className="block w-full" style={{ height: height * 2 }}>
        {bars.map((b, n) => {
          const x = n * width + width * 0.14;
          const wide = width * 0.72;
          const runs = y(b.released);
          const all = y(String(Number(b.released) + Number(b.planned)));
          const isOver = Number(b.released) + Number(b.planned) > Number(b.capacity);
          return (
            <g key={b.key}>
              <rect x={x} y={runs} width={wide} height={height - runs} className={isOver ? 'fill-attention' : 'fill-act'} />
              <rect x={x} y={all} width={wide} height={runs - all} className={isOver ? 'fill-attention' : 'fill-act'} opacity={0.4} />
              <line x1={n * width + 0.3} x2={(n + 1) * width - 0.3} y1={y(b.capacity)} y2={y(b.capacity)} strokeWidth={1.5} vectorEffect="non-scaling-stroke" className="stroke-ink" />
            </g>
          );
        })}
      </svg>
      {names && (
        <div className="flex text-[11px] text-quiet" aria-hidden>
          {bars.map((b) => (
            <span key={b.key} className="text-center" style={{ width: `${width}%` }}>
              {b.name}
            </span>
          ))}
        </div>
      )}
    </div>
  );
}

/** A work center's load week by week. */
export function WeekBars({ load, height = 40, names = true }: { load: Load; height?: number; names?: boolean }) {
  const words = load.weeks.map((w) => `${w.week} ${hours(w.released)} h run, ${hours(w.planned)} h planned of ${hours(w.capacity)} h`);
  return (
    <Bars
      bars={load.weeks.map((w) => ({ ...w, key: w.week, name: `W${w.week.slice(-2)}` }))}
      most={load.most}
      label={`Load of ${load.code}: ${words.join('; ')}`}
      height={height}
      names={names}
    />
  );
}

/** The same day by day, for two weeks. */
export function DayBars({ load }: { load: Load }) {
  return (
    <Bars
      bars={load.days.map((d) => ({ ...d, key: d.day, name: shortDay(d.day).replace(/ \w+$/, '') }))}
      most={load.most_of_day}
      label={`Load of ${load.code} by day`}
      height={40}
      names
    />
  );
}
