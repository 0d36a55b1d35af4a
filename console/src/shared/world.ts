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

/** Those that the service bills in (ISO 4217, list one). */
const CURRENCIES =
  'AED AFN ALL AMD AOA ARS AUD AWG AZN BAM BBD BDT BHD BIF BMD BND BOB BRL BSD BTN BWP BYN BZD CAD CDF CHF ' +
  'CLP CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GNF GTQ GYD HKD ' +
  'HNL HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL ' +
  'LYD MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP ' +
  'PKR PLN PYG QAR RON RSD RUB RWF SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT ' +
  'TND TOP TRY TTD TWD TZS UAH UGX USD UYU UZS VED VES VND VUV WST XAF XCD XCG XOF XPF YER ZAR ZMW ZWG';

/** Codes of currencies with their names. */
export function currencies(): [string, string][] {
  const names = new Intl.DisplayNames('en', { type: 'currency' });
  return CURRENCIES.split(' ').map((code) => [code, names.of(code) ?? code]);
}

/** Names of time zones (IANA). */
export const zones = (): [string, string][] =>
  ['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')].map((zone) => [zone, zone]);
