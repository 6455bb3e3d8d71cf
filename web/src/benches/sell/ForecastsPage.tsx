import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Empty, Loaded } from '../../ui/States';
import { SellFrame } from './SellFrame';
import { forecastsOptions } from './queries';

/** What is foreseen from today on, with what customers ordered of it. */
export function ForecastsPage() {
  const found = useQuery(forecastsOptions(0));
  const { start } = useCommands();
  const may = useMay();
  return (
    <SellFrame
      title="Forecasts"
      words="What will be wanted, whoever will want it; customers' orders for the same days consume it."
      acts={
        may.has('enter-forecast') && (
          <Button look="act" onClick={() => start('enter-forecast')}>
            Enter a forecast…
          </Button>
        )
      }
    >
      <Loaded query={found}>
        {(page) =>
          page.rows.length === 0 ? (
            <Empty>Nothing is foreseen. Planning then goes by what customers order and by safety stocks.</Empty>
          ) : (
            <div className="overflow-x-auto">
              <table className="rows" aria-label="Forecasts">
                <thead>
                  <tr>
                    <th className="pl-4!">Item</th>
                    <th>group</th>
                    <th>from</th>
                    <th>to</th>
                    <th className="num">foreseen</th>
                    <th className="num pr-4!">ordered of it</th>
                  </tr>
                </thead>
                <tbody>
                  {page.rows.map((f) => (
                    <tr key={`${f.item} ${f.first_day}`}>
                      <td className="w-full pl-4!">
                        {f.name}{' '}
                        <Link className="code quiet-link" to={`/plan/items/${encodeURIComponent(f.item)}`}>
                          {f.item}
                        </Link>
                      </td>
                      <td className="text-quiet">{f.item_group}</td>
                      <td className="whitespace-nowrap">{day(f.first_day)}</td>
                      <td className="whitespace-nowrap">{day(f.last_day)}</td>
                      <td className="num">
                        {quantity(f.quantity)}
                        <span className="unit">{f.unit}</span>
                      </td>
                      <td className="num pr-4!">{isZero(f.ordered) ? '–' : quantity(f.ordered)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          )
        }
      </Loaded>
    </SellFrame>
  );
}
