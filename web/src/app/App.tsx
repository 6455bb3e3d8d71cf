import { useQuery } from '@tanstack/react-query';
import { useRoutes } from 'react-router';
import { type Me, meOptions } from '../api/queries';
import { CommandProvider } from '../commands/CommandContext';
import { setZone } from '../lib/date';
import { Empty, Loaded } from '../ui/States';
import { AccountPage } from './Account';
import { benches } from './benches';
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
            <Pages me={person} />
          </CommandProvider>
        );
      }}
    </Loaded>
  );
}

/** The pages of all benches inside the shell, and those of the application itself. */
function Pages({ me }: { me: Me }) {
  return useRoutes([
    {
      element: <Shell me={me} />,
      children: [
        ...benches.flatMap((b) => b.routes),
        { path: 'account', element: <AccountPage me={me} /> },
        { path: '*', element: <Empty title="Nothing here">There is nothing at this address. Ctrl-K goes to anything by code or words.</Empty> },
      ],
    },
  ]);
}
