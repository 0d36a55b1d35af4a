/** A figure is checked where it is written, and said once one leaves it. */
import { fireEvent, render, screen } from '@testing-library/react';
import { describe, expect, it, vi } from 'vitest';
import { Line, NUMBER, SIGNED, TIME } from './fields';

describe('a figure', () => {
  it('that is none is said at its field once one leaves it, and no sooner', () => {
    const change = vi.fn();
    const { rerender } = render(<Line label="Price" value="0.05" check={NUMBER} onChange={change} />);
    const field = screen.getByLabelText('Price');
    fireEvent.focus(field);
    rerender(<Line label="Price" value="0." check={NUMBER} onChange={change} />);
    expect(field).toBeValid();
    fireEvent.blur(field);
    expect(field).toBeInvalid();
    expect(field).toHaveAccessibleDescription('A number, as in 12.5');
    rerender(<Line label="Price" value="" check={NUMBER} onChange={change} />);
    expect(field).toBeValid();
  });

  it.each([
    ['12', NUMBER, true],
    ['-3', NUMBER, false],
    ['-3', SIGNED, true],
    ['1,5', SIGNED, false],
    ['24:00', TIME, true],
    ['7:30', TIME, false],
  ])('%s', (text, check, fine) => {
    expect(check.safeParse(text).success).toBe(fine);
  });
});
