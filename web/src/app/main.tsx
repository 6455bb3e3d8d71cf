import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { ApiError } from '../lib/http';
import '../ui/tokens.css';
import { App } from './App';
import { applyTheme } from './theme';

applyTheme();

const client = new QueryClient({
  defaultOptions: {
    queries: {
      // what the server refused stays refused; a failed connection is tried again
      retry: (count, error) => !(error instanceof ApiError && error.problem.status > 0) && count < 3,
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
