/** All pages in the order of the work: at most ten entries; what belongs together is tabs of one entry. */
import type { Right } from '../access/session';

/**
 * What of the bar a page follows: whose figures (of anybody one sees, or of one's own organisations), and which month
 * (`behind` months ago by default, or any).
 */
export interface Follows {
  whose: 'anybody' | 'own' | null;
  month?: 'one' | 'any';
  behind?: number;
}

export interface PageEntry extends Follows {
  to: string;
  title: string;
  sellers?: boolean;
  right?: Right;
}

export interface SectionEntry {
  title: string;
  pages: PageEntry[];
}

export const SECTIONS: SectionEntry[] = [
  { title: 'Overview', pages: [{ to: '/', title: 'Overview', whose: 'anybody', month: 'one' }] },
  {
    title: 'Organisations',
    pages: [
      { to: '/organisations', title: 'Organisations', whose: null },
      { to: '/onboardings', title: 'New customers', sellers: true, whose: 'own' },
      { to: '/limits', title: 'Limits of customers', sellers: true, whose: 'own' },
      { to: '/sites', title: 'Sites', sellers: true, whose: 'own' },
      { to: '/clouds', title: 'Clouds', sellers: true, whose: 'own' },
    ],
  },
  {
    title: 'Catalogue',
    pages: [
      { to: '/plans', title: 'Plans', whose: null },
      { to: '/rate-cards', title: 'Rate cards', whose: null },
      { to: '/differences', title: 'Versions', whose: null },
      {
        to: '/unpublished-changes',
        title: 'Unpublished changes',
        sellers: true,
        right: 'manage catalogue',
        whose: 'own',
      },
      { to: '/special-terms', title: 'Special terms', sellers: true, whose: 'own' },
    ],
  },
  {
    title: 'Prices',
    pages: [
      { to: '/estimate', title: 'Compare tiers', whose: null },
      {
        to: '/what-if',
        title: 'What if',
        sellers: true,
        right: 'manage catalogue',
        month: 'one',
        behind: 1,
        whose: 'own',
      },
      { to: '/margins', title: 'Price margins', sellers: true, whose: 'own' },
    ],
  },
  {
    title: 'Metering',
    pages: [
      { to: '/usage', title: 'Usage', whose: 'anybody', month: 'one' },
      { to: '/feeds', title: 'Feeds', sellers: true, whose: 'own' },
      { to: '/kinds', title: 'Kinds', sellers: true, whose: 'own', month: 'one' },
      { to: '/owners', title: 'Owners', sellers: true, whose: 'own', month: 'one' },
      {
        to: '/feed-balances',
        title: 'Balance',
        sellers: true,
        right: 'read money',
        whose: 'own',
        month: 'one',
      },
    ],
  },
  {
    title: 'Billing',
    pages: [
      { to: '/invoices', title: 'Invoices', whose: 'anybody', month: 'any' },
      { to: '/bill-runs', title: 'Bill runs', sellers: true, month: 'one', behind: 1, whose: 'own' },
      { to: '/tax-rates', title: 'Tax rates', sellers: true, whose: 'own' },
    ],
  },
  {
    title: 'Spend',
    pages: [
      { to: '/spend', title: 'Spend', whose: 'anybody' },
      { to: '/earned', title: 'Month’s margin', sellers: true, month: 'one', whose: 'own' },
    ],
  },
  { title: 'People', pages: [{ to: '/members', title: 'Members', whose: 'own' }] },
  {
    title: 'Record',
    pages: [
      { to: '/record', title: 'Who did what', right: 'manage members', whose: 'own' },
      { to: '/record/messages', title: 'Messages', right: 'manage members', whose: 'own' },
      { to: '/record/work', title: 'Work in progress', whose: 'own' },
      { to: '/record/kept', title: 'What is kept', whose: 'own' },
    ],
  },
];

/** The page of an address: the one with the longest path that it begins with. */
export function pageAt(pathname: string): PageEntry | undefined {
  return SECTIONS.flatMap((section) => section.pages)
    .filter((page) => pathname === page.to || (page.to !== '/' && pathname.startsWith(`${page.to}/`)))
    .sort((left, right) => right.to.length - left.to.length)[0];
}

/** What one may see of all sections: pages that one's organisation and rights have, sections that have any. */
export function visible(tenant: boolean, may: (right: Right) => boolean): SectionEntry[] {
  return SECTIONS.map(({ title, pages }) => {
    const shown = pages.filter((page) => !(page.sellers && tenant) && may(page.right ?? 'read'));
    const only = shown.length === 1 ? shown[0] : undefined;
    return { title: only ? only.title : title, pages: shown };
  }).filter((section) => section.pages.length);
}
