const KEY = 'poietic-theme';
type Theme = 'light' | 'dark';

function preferred(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === 'light' || kept === 'dark') return kept;
  return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

export function applyTheme() {
  document.documentElement.dataset['theme'] = preferred();
}

export function switchTheme() {
  localStorage.setItem(KEY, preferred() === 'dark' ? 'light' : 'dark');
  applyTheme();
}
