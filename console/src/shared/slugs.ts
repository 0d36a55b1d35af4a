/** Identifiers made of names. */

/** A slug made of a name, to begin with. */
export const slugOf = (name: string): string =>
  name
    .normalize('NFD')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 63);
