/** Jumps to any organisation, plan, card, document or page by its name. */
import { Dialog, DialogTitle } from '@mui/material';
import { visuallyHidden } from '@mui/utils';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useNavigate } from 'react-router';
import { useKept } from '../access/figures';
import { foundInvoicesOptions, documentName } from '../billing/invoices';
import { plansOptions, rateCardsOptions } from '../catalogue/catalogue';
import { organisationsOptions } from '../organisations/organisations';
import { periodName } from '../shared/dates';
import { Found, type Findable } from './Found';
import type { SectionEntry } from './pages';

const SHOWN = 8;

export default function JumpBox({ sections, onClose }: { sections: SectionEntry[]; onClose: () => void }) {
  const [typed, setTyped] = useState('');
  const search = useDeferredValue(typed.trim());
  const navigate = useNavigate();
  const kept = useKept();
  const asked = { placeholderData: keepPreviousData, enabled: search !== '' };
  const organisations = useQuery({ ...organisationsOptions({ search, limit: SHOWN }), ...asked });
  const documents = useQuery({ ...foundInvoicesOptions(search, SHOWN), ...asked });
  const plans = useQuery(plansOptions);
  const cards = useQuery(rateCardsOptions);
  const go = (to: string) => () => {
    onClose();
    void navigate(to);
  };
  const has = (...names: string[]) => names.join(' ').toLowerCase().includes(search.toLowerCase());
  const pages = sections
    .flatMap((section) => section.pages.map((page) => ({ section: section.title, page })))
    .filter(({ section, page }) => has(page.title, section))
    .map(({ section, page }): Findable => {
      const note = section === page.title ? 'page' : section;
      return { key: page.to, title: page.title, note, choose: go(kept(page.to)) };
    });
  const found: Findable[] = search
    ? [
        ...(organisations.data?.items ?? []).map(({ slug, name, type }) => ({
          key: `organisation ${slug}`,
          title: name,
          note: type,
          choose: go(`/organisations/${slug}`),
        })),
        ...(documents.data ?? []).map((each) => ({
          key: each.id,
          title: `${documentName(each)}: ${each.parties.buyer.name}`,
          note: periodName(each.period),
          choose: go(`/invoices/${each.id}`),
        })),
        ...(plans.data ?? [])
          .filter((each) => has(each.form.name, each.form.plan))
          .slice(0, SHOWN)
          .map(({ form }) => ({
            key: `plan ${form.plan}`,
            title: form.name,
            note: 'plan',
            choose: go(`/plans?plan=${form.plan}`),
          })),
        ...(cards.data ?? [])
          .filter((each) => has(each.name, each.slug, each.seller))
          .slice(0, SHOWN)
          .map((each) => ({
            key: `card ${each.seller}/${each.slug}`,
            title: each.name,
            note: 'rate card',
            choose: go(`/rate-cards?card=${each.seller}/${each.slug}`),
          })),
        ...pages,
      ]
    : pages;
  return (
    <Dialog open onClose={onClose} maxWidth="sm">
      <DialogTitle sx={visuallyHidden}>Jump to anything</DialogTitle>
      <Found
        label="Organisation, plan, card, document or page"
        typed={typed}
        onTyped={setTyped}
        found={found}
        loading={organisations.isFetching || documents.isFetching}
        more={false}
        none="Nothing has that in its name"
      />
    </Dialog>
  );
}
