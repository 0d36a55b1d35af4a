/** What the dialogs about subscriptions ask of the service, and what they keep of what was there. */
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { describe, expect, it } from 'vitest';
import { Refusal } from '../shared/api';
import { addDays } from '../shared/dates';
import { ChangeDialog, SpecialTermsDialog, EndDialog } from './ChangeDialog';
import {
  HELD,
  TODAY,
  afresh,
  accept,
  asked,
  choose,
  closed,
  dayField,
  draw,
  order,
  press,
  refuse,
  sent,
  type,
} from './dialogs.testing';

afresh();

describe('subscribing', () => {
  it('waits for the terms, and says so where they are', async () => {
    order();
    press('Subscribe');
    expect(await screen.findByText('The customer has to accept them')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
    accept();
    press('Subscribe');
    expect((await sent())?.options.body).toMatchObject({
      organisation: 'gannet',
      project: null,
      plan: 'stone-barn',
      tier: 'moor',
      name: 'Stone Barn',
      quantity: 1,
      starts_on: TODAY,
      ends_on: null,
      trial_until: null,
      choices: null,
      accepted_terms: '2026-11',
    });
  });

  it('ends with a trial that ends', async () => {
    order();
    fireEvent.click(screen.getByLabelText(/30 days on trial first/));
    expect(await screen.findByText(/then it ends/)).toBeInTheDocument();
    accept();
    type(/^Its own name/, 'Trial vault');
    type(/^How many/, '3');
    choose('For', 'Customs');
    choose('Where copies are', 'far');
    press('Subscribe');
    expect((await sent())?.options.body).toMatchObject({
      name: 'Trial vault',
      quantity: 3,
      project: 'customs',
      trial_until: '2026-12-18',
      ends_on: '2026-12-18',
      choices: { 'backup/place': 'far' },
    });
  });

  it('says a refusal at the field that it names, or for the whole, and stays open', async () => {
    refuse(new Refusal(422, 'invalid', 'quantity: is at most 5', { field: 'quantity' }));
    order();
    accept();
    press('Subscribe');
    expect(await screen.findByText('is at most 5')).toBeInTheDocument();
    expect(screen.getByLabelText(/^How many/)).toBeInvalid();
    refuse(new Refusal(409, 'not_offered', 'tier moor is not offered to gannet'));
    // The button rests until the call before has wholly ended.
    await waitFor(() => expect(screen.getByRole('button', { name: 'Subscribe' })).toBeEnabled());
    press('Subscribe');
    expect(await screen.findByText('tier moor is not offered to gannet')).toBeInTheDocument();
    expect(closed).not.toHaveBeenCalled();
  });
});

describe('changing', () => {
  const open = () => draw(<ChangeDialog subscription={HELD} today={TODAY} onClose={closed} />);

  it('sends only what differs, with the version that was seen', async () => {
    open();
    choose('Tier', 'Moor');
    press('Change it');
    const call = await sent();
    expect(call?.path).toContain('/change');
    expect(call?.options.body).toEqual({
      starts_on: TODAY,
      tier: 'moor',
      quantity: null,
      paused: null,
      plan_version: null,
      choices: null,
      accepted_terms: null,
      version: 5,
    });
  });

  it('moves to the newest version of the plan with its terms', async () => {
    open();
    fireEvent.click(screen.getByLabelText(/Move it from version 1 of the plan to version 2/));
    press('Change it');
    expect((await sent())?.options.body).toMatchObject({ plan_version: 2, accepted_terms: '2026-11' });
  });

  it('begins with the choices that hold', async () => {
    open();
    expect(screen.getByRole('combobox', { name: /^Where copies are/ })).toHaveTextContent('far');
    choose('Where copies are', 'near');
    fireEvent.click(screen.getByLabelText(/^Pauses/));
    type(/^How many/, '4');
    press('Change it');
    expect((await sent())?.options.body).toMatchObject({
      choices: { 'backup/place': 'near' },
      paused: true,
      quantity: 4,
    });
  });
});

describe('ending', () => {
  it('proposes the earliest day, and lets it go on when left empty', async () => {
    draw(<EndDialog subscription={HELD} today={TODAY} onClose={closed} />);
    const day = dayField('Last day');
    expect(day).toHaveValue('2026-12-30');
    expect(screen.getByText(/if notice is given by 2026-12-01/)).toBeInTheDocument();
    fireEvent.change(day, { target: { value: '' } });
    press('Let it go on');
    expect((await sent())?.options.body).toEqual({ ends_on: null, version: 5 });
  });
});

describe('ending what may end at any time', () => {
  it('begins with today, and says what a day that is over does', async () => {
    draw(<EndDialog subscription={{ ...HELD, earliest_end: '2026-01-01' }} today={TODAY} onClose={closed} />);
    expect(dayField('Last day')).toHaveValue(TODAY);
    expect(screen.getByText(/A day that is over gives back/)).toBeInTheDocument();
    press('End it');
    expect((await sent())?.options.body).toMatchObject({ ends_on: addDays(TODAY, 1) });
  });
});

describe('a day that is half written', () => {
  /** Empties one part of a day, as the key does. */
  const empty = (label: string, part: string) => {
    const group = screen.getByRole('group', { name: new RegExp(`^${label}`) });
    const section = within(group).getByRole('spinbutton', { name: part });
    fireEvent.focus(section);
    fireEvent.mouseDown(section);
    fireEvent.mouseUp(section);
    fireEvent.click(section);
    fireEvent.keyDown(section, { key: 'Delete' });
    fireEvent.keyUp(section, { key: 'Delete' });
  };

  it('is not taken for none: nothing goes on by it', async () => {
    draw(<EndDialog subscription={HELD} today={TODAY} onClose={closed} />);
    empty('Last day', 'Day');
    await waitFor(() => expect(screen.getByRole('spinbutton', { name: 'Day' })).toHaveTextContent('DD'));
    expect(await screen.findByRole('button', { name: 'End it' })).toBeInTheDocument();
    press('End it');
    expect(await screen.findByText('Finish the day, or empty it')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
    fireEvent.change(dayField('Last day'), { target: { value: '2027-01-31' } });
    press('End it');
    expect((await sent())?.options.body).toEqual({ ends_on: '2027-02-01', version: 5 });
  });

  it('is none when all of it is emptied', async () => {
    draw(<EndDialog subscription={HELD} today={TODAY} onClose={closed} />);
    for (const part of ['Day', 'Month', 'Year']) {
      empty('Last day', part);
      await waitFor(() => expect(screen.getByRole('spinbutton', { name: part })).toHaveTextContent(/[DMY]/));
    }
    fireEvent.click(await screen.findByRole('button', { name: 'Let it go on' }));
    expect((await sent())?.options.body).toEqual({ ends_on: null, version: 5 });
  });

  it('is said at its field when one subscribes', async () => {
    order();
    accept();
    fireEvent.change(dayField('Last day'), { target: { value: '2026-11-17' } });
    press('Subscribe');
    expect(await screen.findByText('Not before the day on which it begins')).toBeInTheDocument();
    empty('Last day', 'Month');
    expect(await screen.findByText('Finish the day, or empty it')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
  });
});

describe('special terms', () => {
  const open = () => draw(<SpecialTermsDialog subscription={HELD} today={TODAY} onClose={closed} />);

  it('keeps the special terms there were', async () => {
    open();
    choose('Rate card', 'For Gannet');
    press('Save');
    expect((await sent())?.options.body).toEqual({
      seller: 'bluefern',
      starts_on: TODAY,
      rate_card: 'gannet-eur',
      special_terms: { allowances: { 'backup/protected': '10 GiB-hour' } },
      version: 5,
    });
  });

  it('goes back to the rules', async () => {
    open();
    choose('Rate card', 'the one by your rules');
    press('Save');
    expect((await sent())?.options.body).toMatchObject({ rate_card: '' });
  });
});
