import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { Toasts, useToast } from './Toasts';

function Sayers() {
  const say = useToast();
  return (
    <>
      <button onClick={() => say('It is open.', () => Promise.resolve())}>Open</button>
      <button onClick={() => say('It is saved.', () => Promise.resolve())}>Save</button>
    </>
  );
}

const pass = (seconds: number) => act(() => vi.advanceTimersByTimeAsync(seconds * 1000));

afterEach(() => {
  vi.useRealTimers();
});

describe('what is said in passing', () => {
  it('has its own time, also where something was said just before', async () => {
    vi.useFakeTimers();
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Toasts>
          <Sayers />
        </Toasts>
      </QueryClientProvider>,
    );
    fireEvent.click(screen.getByText('Open'));
    await pass(15);
    fireEvent.click(screen.getByText('Save'));
    await pass(15);
    expect(screen.getByRole('button', { name: 'Undo' })).toBeInTheDocument();
    await pass(6);
    expect(screen.queryByText('It is saved.')).toBeNull();
  });
});
