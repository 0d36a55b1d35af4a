/** Countries, currencies and time zones by name, as the browser knows them. */

const LETTERS = [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'];
/** Groups of countries, parts of some, and codes that are reserved for other purposes. */
const NO_COUNTRY = new Set('AC CP CQ DG EA EU EZ IC QO TA UK UN XA XB ZZ'.split(' '));

/** Codes of two letters that name a country (ISO 3166-1), with their names, by name. */
export function countries(): [string, string][] {
  const names = new Intl.DisplayNames('en', { type: 'region', fallback: 'none' });
  return (
    LETTERS.flatMap((first) => LETTERS.map((second) => first + second))
      // A code that was given up stands for another one today, so that its country would be there twice.
      .filter((code) => !NO_COUNTRY.has(code) && Intl.getCanonicalLocales(`und-${code}`)[0] === `und-${code}`)
      .flatMap((code): [string, string][] => {
        const name = names.of(code);
        return name ? [[code, name]] : [];
      })
      .sort((left, right) => left[1].localeCompare(right[1], 'en'))
  );
}

/** What people call a country; what is no code of one is shown as it is. */
export const countryName = (code: string): string =>
  (/^[A-Z]{2}$/.test(code) && new Intl.DisplayNames('en', { type: 'region' }).of(code)) || code;

/** Codes of currencies (ISO 4217) with their names. */
export function currencies(): [string, string][] {
  const names = new Intl.DisplayNames('en', { type: 'currency' });
  return Intl.supportedValuesOf('currency').map((code) => [code, names.of(code) ?? code]);
}

/** Names of time zones (IANA). */
export const zones = (): [string, string][] =>
  ['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')].map((zone) => [zone, zone]);
