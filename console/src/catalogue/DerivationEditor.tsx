/** How a rate card follows another: what is put on top of the base's prices, and to which step they are rounded. */
import { useQuery } from '@tanstack/react-query';
import { type Derived, type OnTop, type RateCardForm, rateCardsOptions } from './catalogue';
import { Add, change, Group, Line, Remove, Row, withItem, withoutItem, SIGNED } from './fields';

type Change = (next: Derived) => void;

export function Derivation({
  form,
  onChange,
}: {
  form: RateCardForm;
  onChange: (form: RateCardForm) => void;
}) {
  const cards = useQuery(rateCardsOptions);
  const derived = form.derived;
  if (!derived)
    return <Add what="a base card to follow" onClick={() => onChange({ ...form, derived: { base: '' } })} />;
  const set: Change = (next) => onChange({ ...form, derived: next });
  return (
    <Group title="Follows a base card, its later versions too">
      <Row>
        <Line
          label="Base card"
          value={derived.base}
          options={(cards.data ?? []).map((card) => `${card.seller}/${card.slug}`)}
          onChange={(base) => set({ ...derived, base })}
          width={260}
        />
        <Top
          label="on top"
          top={derived['on-top'] ?? {}}
          onChange={(top) => set(change(derived, 'on-top', top))}
        />
        <Line
          label="Price step"
          value={derived['price-step']}
          onChange={(step) => set(change(derived, 'price-step', step))}
          width={120}
        />
        <Line
          label="Notice to buyers, days"
          value={derived['notice-days']}
          onChange={(days) => set(change(derived, 'notice-days', days))}
          width={190}
        />
        <Remove what="base card" onClick={() => onChange(change(form, 'derived', undefined))} />
      </Row>
      <Special what="service" field="services" derived={derived} onChange={set} />
      <Special what="rate" field="rates" derived={derived} onChange={set} />
    </Group>
  );
}

/** A percentage, or an amount per unit. */
function Top({ label, top, onChange }: { label: string; top: OnTop; onChange: (top: OnTop) => void }) {
  return (
    <>
      <Line
        label={`Percent ${label}`}
        check={SIGNED}
        value={top.percent}
        onChange={(percent) => onChange(change(top, 'percent', percent))}
        width={150}
      />
      <Line
        label={`or amount ${label}`}
        check={SIGNED}
        value={top.amount}
        onChange={(amount) => onChange(change(top, 'amount', amount))}
        width={200}
      />
    </>
  );
}

/** What is on top of the rates of one service, or of one rate. */
function Special({
  what,
  field,
  derived,
  onChange,
}: {
  what: string;
  field: 'services' | 'rates';
  derived: Derived;
  onChange: Change;
}) {
  const entries = Object.entries(derived[field] ?? {});
  const put = (next: [string, OnTop][]) => onChange(change(derived, field, Object.fromEntries(next)));
  const replaced = (index: number, pair: [string, OnTop]) => put(withItem(entries, index, pair));
  return (
    <>
      {entries.map(([name, top], index) => (
        <Row key={index}>
          <Line
            label={what === 'rate' ? 'Rate of the base' : 'Service'}
            value={name}
            width={200}
            onChange={(next) => replaced(index, [next, top])}
          />
          <Top label={`on this ${what}`} top={top} onChange={(next) => replaced(index, [name, next])} />
          <Remove what={`${what} ${name}`} onClick={() => put(withoutItem(entries, index))} />
        </Row>
      ))}
      <Add
        what={`${what} with something else on top`}
        onClick={() => onChange({ ...derived, [field]: { ...derived[field], '': { percent: '' } } })}
      />
    </>
  );
}
