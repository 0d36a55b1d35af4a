/** A rate card's next version: rates in order, discounts in the order in which they apply. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import {
  type Discount,
  type PlanForm,
  type RateCardForm,
  type ServiceForm,
  plansOptions,
  servicesOptions,
  whomWords,
} from './catalogue';
import { BuyersEditor } from './BuyersEditor';
import { Derivation } from './DerivationEditor';
import {
  Add,
  change,
  Group,
  Line,
  Remove,
  Row,
  Select,
  withItem,
  withoutItem,
  Words,
  NUMBER,
} from './fields';
import { DayPicker } from '../shared/DateInput';
import { addDays } from '../shared/dates';
import { useMeasures } from '../organisations/measures';
import { At } from './mistakes';
import { PROMISED } from './names';
import { RateEditor } from './RateEditor';

const COMPOSITES = [
  ['whole', 'the whole'],
  ['components', 'its components'],
] as const;
const CURRENCIES = ['EUR', 'GBP', 'JPY', 'SEK', 'USD'];

export function RateCardEditor({
  form,
  onChange,
}: {
  form: RateCardForm;
  onChange: (form: RateCardForm) => void;
}) {
  const services = useQuery(servicesOptions);
  const plans = useQuery(plansOptions);
  const measures = useMeasures();
  const used = (services.data ?? []).flatMap((each) => {
    const service = each.form as ServiceForm;
    return Object.keys(service.meters).map((meter) => `${service.service}/${meter}`);
  });
  const promised = measures
    .filter((each) => each.kind === 'stock')
    .map((each) => `${PROMISED}/${each.measure}`);
  const tiers = (plans.data ?? []).flatMap((each) => {
    const plan = each.form as PlanForm;
    return plan.tiers.map((tier) => `${plan.plan}/${tier.tier}`);
  });
  const set = (field: keyof RateCardForm) => (value: string) => onChange({ ...form, [field]: value });
  const discounts = form.discounts ?? [];
  const setDiscounts = (next: Discount[]) => onChange(change(form, 'discounts', next));
  return (
    <Box sx={{ display: 'grid', gap: 3 }}>
      <Row>
        <Line place="name" label="Name" value={form.name} onChange={set('name')} width={260} />
        <Line
          place="currency"
          label="Currency"
          value={form.currency}
          onChange={set('currency')}
          options={CURRENCIES}
          width={110}
        />
        <At place="starts-on">
          <DayPicker
            label="Starts on"
            value={form['starts-on'] ?? ''}
            onChange={set('starts-on')}
            width={175}
          />
        </At>
        <Line
          place="at-renewal"
          label="Card at renewal"
          value={form['at-renewal']}
          onChange={(slug) => onChange(change(form, 'at-renewal', slug))}
          width={170}
          help="a renewed subscription goes over to it"
        />
      </Row>
      {form.for === 'own-use' && (
        <Line
          place="overhead"
          label="Overhead on all of it, percent"
          check={NUMBER}
          value={form.overhead}
          onChange={(percent) => onChange(change(form, 'overhead', percent))}
          width={220}
        />
      )}
      <At place="composites">
        <Select
          label="What is made of others is charged as"
          value={form.composites ?? 'whole'}
          onChange={(as) => onChange(change(form, 'composites', as === 'whole' ? '' : as))}
          options={COMPOSITES}
          width={290}
        />
      </At>
      <At place="for">
        <BuyersEditor value={form.for} onChange={(whom) => onChange({ ...form, for: whom })} />
      </At>
      <At place="derived">
        <Derivation form={form} onChange={onChange} />
      </At>
      <Group title={form.derived ? 'Rates of its own, beside or instead of those of the base' : 'Rates'}>
        {form.rates.map((rate, index) => (
          <At key={index} place={`rates[${index}]`}>
            <RateEditor
              rate={rate}
              currency={form.currency}
              meters={used}
              promised={whomWords(form.for) === 'own-use' ? [] : promised}
              tiers={tiers}
              onChange={(next) => onChange({ ...form, rates: withItem(form.rates, index, next) })}
              onRemove={() => onChange({ ...form, rates: withoutItem(form.rates, index) })}
            />
          </At>
        ))}
        <Add
          what="rate"
          onClick={() =>
            onChange({ ...form, rates: [...form.rates, { rate: '', meter: '', per: '', price: '' }] })
          }
        />
      </Group>
      <Group title="Discounts, each off what the ones before it left">
        {discounts.map((discount, index) => {
          const field = (name: keyof Discount) => (value: unknown) =>
            setDiscounts(withItem(discounts, index, change(discount, name, value)));
          return (
            <At key={index} place={`discounts[${index}]`}>
              <Row>
                <Line label="Discount" value={discount.discount} onChange={field('discount')} width={140} />
                <Line label="Discount's name" value={discount.name} onChange={field('name')} width={170} />
                <Line
                  label="Percent"
                  check={NUMBER}
                  value={discount.percent}
                  onChange={field('percent')}
                  width={90}
                />
                <Line
                  label="or amount per month"
                  check={NUMBER}
                  value={discount.amount}
                  onChange={field('amount')}
                  width={150}
                />
                <Words
                  label="On services"
                  value={discount.services}
                  onChange={field('services')}
                  width={170}
                />
                <Words label="On rates" value={discount.rates} onChange={field('rates')} width={170} />
                <DayPicker
                  label="From"
                  value={discount.from ?? ''}
                  onChange={field('from')}
                  width={175}
                  optional
                />
                <DayPicker
                  label="Last day"
                  // In the file it is the first day that the discount no longer covers.
                  value={discount.until ? addDays(discount.until, -1) : ''}
                  onChange={(day) => field('until')(day && addDays(day, 1))}
                  width={175}
                  optional
                />
                <Remove
                  what={`discount ${discount.discount}`}
                  onClick={() => setDiscounts(withoutItem(discounts, index))}
                />
              </Row>
            </At>
          );
        })}
        <Add what="discount" onClick={() => setDiscounts([...discounts, { discount: '', name: '' }])} />
      </Group>
    </Box>
  );
}
