import { useQuery } from '@tanstack/react-query';
import { Route, Routes } from 'react-router';
import { meOptions } from '../api/queries';
import { ItemCostPage, MarginPage, StandardsPage } from '../benches/cost';
import { CalendarsPage, ComparePage, DefineBench, EditPage, ExchangePage, ItemPage, LacksPage, PartnersPage, PersonsPage, PlacesPage, ReasonsPage, WorkCentersPage } from '../benches/define';
import { AsBuiltPage, BridgePage, OrderBench, OrderPage, PostingPage } from '../benches/orders';
import { Today } from '../benches/today';
import { CommandProvider } from '../commands/CommandContext';
import { setZone } from '../lib/date';
import { Empty, Loaded } from '../ui/States';
import { AccountPage } from './Account';
import { FirstRun, SignIn } from './Entrance';
import { Shell } from './Shell';

export function App() {
  const me = useQuery(meOptions());
  return (
    <Loaded query={me}>
      {(person) => {
        setZone(person.zone);
        if (person.is_first_run) return <FirstRun />;
        if (person.name === null) return <SignIn me={person} />;
        return (
          <CommandProvider>
            <Routes>
              <Route element={<Shell me={person} />}>
                <Route index element={<Today />} />
                <Route path="define" element={<DefineBench />}>
                  <Route index element={<Empty>Choose an item on the left, or a work center.</Empty>} />
                  <Route path="items/:code" element={<ItemPage />} />
                  <Route path="items/:code/edit" element={<EditPage />} />
                  <Route path="items/:code/compare" element={<ComparePage />} />
                  <Route path="items/:code/cost" element={<ItemCostPage />} />
                  <Route path="work-centers" element={<WorkCentersPage />} />
                  <Route path="calendars" element={<CalendarsPage />} />
                  <Route path="exchange" element={<ExchangePage />} />
                  <Route path="partners" element={<PartnersPage />} />
                  <Route path="places" element={<PlacesPage />} />
                  <Route path="reasons" element={<ReasonsPage />} />
                  <Route path="persons" element={<PersonsPage />} />
                  <Route path="lacks" element={<LacksPage />} />
                </Route>
                {(['release', 'make', 'cost'] as const).map((bench) => (
                  <Route key={bench} path={bench} element={<OrderBench bench={bench} />}>
                    <Route index element={bench === 'cost' ? <StandardsPage /> : <Empty>Choose an order on the left.</Empty>} />
                    {bench === 'cost' && <Route path="standards" element={<StandardsPage />} />}
                    {bench === 'cost' && <Route path="margin" element={<MarginPage />} />}
                  </Route>
                ))}
                <Route path="orders" element={<OrderBench />}>
                  <Route path=":number" element={<OrderPage />} />
                  <Route path=":number/bridge" element={<BridgePage />} />
                  <Route path=":number/as-built" element={<AsBuiltPage />} />
                </Route>
                <Route path="account" element={<AccountPage me={person} />} />
                <Route path="postings/:number" element={<PostingPage />} />
                <Route path="*" element={<Empty>There is nothing at this address. Ctrl-K goes to anything by code or words.</Empty>} />
              </Route>
            </Routes>
          </CommandProvider>
        );
      }}
    </Loaded>
  );
}
