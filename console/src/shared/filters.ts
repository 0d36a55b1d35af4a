/** Filters of a page, kept in its address, so that they are there when one comes back. */
import { useSearchParams } from 'react-router';

/** What the address has, and how one of its filters is set; empty takes it away. */
export function useFilters(): [URLSearchParams, (name: string, value: string) => void] {
  const [params, setParams] = useSearchParams();
  const set = (name: string, value: string) =>
    setParams(
      (before) => {
        if (value) before.set(name, value);
        else before.delete(name);
        return before;
      },
      { replace: true },
    );
  return [params, set];
}
