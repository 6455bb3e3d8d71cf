import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { passes } from '../api/http';
import '../ui/tokens.css';
import { App } from './App';
import { applyTheme } from './theme';

applyTheme();

const client = new QueryClient({
  defaultOptions: {
    queries: {
      // what the server refused stays refused; what passes by itself is tried again until it has
      retry: (_, error) => passes(error),
      retryDelay: 1500,
      staleTime: 30_000,
    },
  },
});

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
