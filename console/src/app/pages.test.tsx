/** Which page an address is, what of the sections one sees, and the jump box's keys. */
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { describe, expect, it, vi } from 'vitest';
import { Found } from './Found';
import { pageAt, SECTIONS, visible } from './pages';

describe('the page of an address', () => {
  it('is the one that says most of it', () => {
    expect(pageAt('/')?.title).toBe('Overview');
    expect(pageAt('/record')?.title).toBe('Who did what');
    expect(pageAt('/record/work')?.title).toBe('Work in progress');
    expect(pageAt('/organisations/gannet/quotas')?.title).toBe('Organisations');
  });

  it('is none where nothing is, and no page by the beginning of its word', () => {
    expect(pageAt('/nowhere')).toBeUndefined();
    expect(pageAt('/plansible')).toBeUndefined();
  });

  it('is one of its own for every page that there is', () => {
    for (const page of SECTIONS.flatMap(({ pages }) => pages)) expect(pageAt(page.to)).toBe(page);
  });
});

describe('what one sees of the sections', () => {
  const titles = (tenant: boolean, ...rights: string[]) =>
    visible(tenant, (right) => rights.includes(right)).map((section) => [
      section.title,
      section.pages.map((page) => page.title),
    ]);

  it('is called by its page where only one is left', () => {
    const seen = Object.fromEntries(titles(true, 'read')) as Record<string, string[]>;
    expect(seen.Usage).toEqual(['Usage']);
    expect(seen.Metering).toBeUndefined();
    expect(seen['Compare tiers']).toEqual(['Compare tiers']);
    expect(seen.Record).toEqual(['Work in progress', 'What is kept']);
  });

  it('has nothing of selling for a tenant, whatever its rights', () => {
    const pages = titles(true, 'read', 'manage catalogue', 'manage members').flatMap(([, each]) => each);
    expect(pages).toContain('Who did what');
    for (const page of SECTIONS.flatMap((section) => section.pages).filter(({ sellers }) => sellers))
      expect(pages).not.toContain(page.title);
  });

  it('is all of it for a seller with every right, ten entries at most', () => {
    const seen = titles(false, 'read', 'read money', 'manage catalogue', 'manage members');
    expect(seen.length).toBeLessThanOrEqual(10);
    expect(seen.flatMap(([, pages]) => pages)).toHaveLength(SECTIONS.flatMap(({ pages }) => pages).length);
  });
});

describe('what is found', () => {
  const chosen = vi.fn();
  const scrolled = vi.fn();
  // Nothing is laid out here, so nothing scrolls either.
  Element.prototype.scrollIntoView = function scroll(this: Element) {
    scrolled(this.textContent);
  };
  const draw = (names: string[], loading = false) =>
    render(
      <Found
        label="Anything"
        typed=""
        onTyped={vi.fn()}
        found={names.map((name) => ({ key: name, title: name, choose: () => chosen(name) }))}
        loading={loading}
        more={false}
        none="Nothing has that in its name"
      />,
    );
  const key = (name: string) => fireEvent.keyDown(screen.getByRole('combobox'), { key: name });
  const marked = () => screen.getByRole('option', { selected: true }).textContent;

  it('is moved through by arrows, round its ends, and chosen by Enter', () => {
    draw(['Gannet', 'Bluefern', 'Invoices']);
    expect(marked()).toBe('Gannet');
    key('ArrowUp');
    expect(marked()).toBe('Invoices');
    expect(scrolled).toHaveBeenLastCalledWith('Invoices');
    expect(screen.getByRole('combobox')).toHaveAttribute(
      'aria-activedescendant',
      screen.getByRole('option', { selected: true }).id,
    );
    key('ArrowDown');
    key('ArrowDown');
    key('Enter');
    expect(chosen).toHaveBeenCalledExactlyOnceWith('Bluefern');
  });

  it('says that it looks before it says that nothing is there, and Enter then does nothing', () => {
    chosen.mockClear();
    draw([], true);
    expect(screen.getByRole('status')).toHaveTextContent('Looking');
    key('Enter');
    cleanup();
    draw([]);
    expect(screen.getByRole('status')).toHaveTextContent('Nothing has that in its name');
    key('ArrowDown');
    key('Enter');
    expect(chosen).not.toHaveBeenCalled();
  });
});
