/** A view as the console draws it, with what is known already. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { fireEvent, render, screen } from '@testing-library/react';
import type { ReactElement } from 'react';
import { MemoryRouter } from 'react-router';
import { Toasts } from './Toasts';

export function drawn(view: ReactElement, known: [readonly unknown[], unknown][] = [], at = '/'): void {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
  for (const [key, data] of known) client.setQueryData(key, data);
  render(
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[at]}>
        <Toasts>{view}</Toasts>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

export const type = (label: string | RegExp, value: string) =>
  fireEvent.change(screen.getByLabelText(label), { target: { value } });
export const press = (name: string) => fireEvent.click(screen.getByRole('button', { name, hidden: true }));
