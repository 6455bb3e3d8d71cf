/** What is asked for of persons and of the works as a whole. */

import { password, roles, text } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';

export const personForms = commandForms({
  'add-person': {
    act: (g) => `Add ${said(g.full_name)}`,
    entries: {
      name: text('Sign-in name'),
      full_name: text('Full name'),
      password: password('Password', { optional: true, hint: 'none: give a one-time code' }),
      roles: roles('Roles'),
    },
    start: { roles: [] },
  },
  'deactivate-person': { act: (g) => `Deactivate ${said(g.name)}`, entries: { name: text('Sign-in name') } },
  'activate-person': { act: (g) => `Activate ${said(g.name)}`, entries: { name: text('Sign-in name') } },
  'end-sessions': { act: (g) => `Sign ${said(g.name)} out everywhere`, entries: { name: text('Sign-in name') } },
  'drop-second-factor': { act: (g) => `Take the second factor of ${said(g.name)} away`, entries: { name: text('Sign-in name') } },
  'close-demo': { act: () => 'Deactivate all persons of the demo', entries: {} },
  'set-zone': { act: (g) => `Count days in ${said(g.zone)}`, entries: { zone: text('Time zone', { hint: 'such as Europe/Berlin' }) } },
  'set-roles': {
    act: (g) => `Set the roles of ${said(g.name)}`,
    entries: { name: text('Sign-in name'), roles: roles('Roles') },
    start: { roles: [] },
  },
});
