/** What is asked of the service while somebody types. */
import { useEffect, useState } from 'react';

const LINGER = 350;

/** Something that is typed, once it has stood for a moment. */
export function useSettled(typed: string): string {
  const [settled, settle] = useState(typed);
  useEffect(() => {
    const timer = setTimeout(() => settle(typed), LINGER);
    return () => clearTimeout(timer);
  }, [typed]);
  return settled;
}
