import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { CssBaseline, ThemeProvider } from '@mui/material';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { App } from './app/App';
import { theme } from './shared/theme';
import { Refusal } from './shared/api';

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 15_000,
      retry: (count, problem) => count < 2 && !(problem instanceof Refusal && problem.status >= 400),
    },
  },
});

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <ThemeProvider theme={theme} defaultMode="system">
          <CssBaseline enableColorScheme />
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </ThemeProvider>
      </QueryClientProvider>
    </StrictMode>,
  );
}
