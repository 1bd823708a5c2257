// Formatting for people by the browser itself (ECMA-402), for the functions of `Local`, and their order of texts.

/** Formatters that were made. */
export const formatters = new Map();

/** A formatter, made once for each of its options. */
export function formatter(Kind, locale, options) {
  const key = `${Kind.name} ${locale} ${JSON.stringify(options)}`;
  if (!formatters.has(key)) formatters.set(key, new Kind(locale, options));
  return formatters.get(key);
}

export const DATES = ['full', 'long', 'medium', 'short'];

export const FORMATS = {
  number(locale, _, n, most, least = 0) {
    const options = { minimumFractionDigits: least, maximumFractionDigits: Math.max(most ?? 3, least) };
    return formatter(Intl.NumberFormat, locale, options).format(n);
  },
  percent(locale, _, n, most = 0) {
    return formatter(Intl.NumberFormat, locale, { style: 'percent', maximumFractionDigits: most }).format(n);
  },
  money(locale, _, n, currency) {
    return formatter(Intl.NumberFormat, locale, { style: 'currency', currency }).format(n);
  },
  measure(locale, _, n, unit) {
    return formatter(Intl.NumberFormat, locale, { style: 'unit', unit }).format(n);
  },
  date(locale, timeZone, n, style) {
    const dateStyle = DATES.includes(style) ? style : 'medium';
    return formatter(Intl.DateTimeFormat, locale, { timeZone, dateStyle }).format(n);
  },
  time(locale, timeZone, n, style) {
    const timeStyle = style === 'short' ? 'short' : 'medium';
    return formatter(Intl.DateTimeFormat, locale, { timeZone, timeStyle }).format(n);
  },
  dateTime(locale, timeZone, n, style) {
    const both = style === 'short' ? 'short' : 'medium';
    return formatter(Intl.DateTimeFormat, locale, { timeZone, dateStyle: both, timeStyle: both }).format(n);
  },
  ago(locale, _, n, unit) {
    return formatter(Intl.RelativeTimeFormat, locale, {}).format(n, unit);
  },
  plural(locale, _, n) {
    return formatter(Intl.PluralRules, locale, {}).select(n);
  },
  list(locale, _, items, kind) {
    return formatter(Intl.ListFormat, locale, { type: kind === 'or' ? 'disjunction' : 'conjunction' }).format(items);
  },
};

/** The locale that is formatted for, and the time zone. */
export const locality = { locale: 'en', zone: 'UTC' };

/** What a function of `Local` gives; what cannot be said in the locale is said plainly. */
export function localised(name, ...args) {
  try {
    return FORMATS[name](locality.locale, locality.zone, ...args).replaceAll('\u202f', ' ');
  } catch {
    return String(args[0] ?? '');
  }
}

/** Which of two texts stands first where people put them in order: below 0, 0 or above 0. */
export function inOrder(one, other) {
  if (one === null) return null;
  const { locale } = locality;
  // A language that the browser has no order for has that of English, wherever the browser stands.
  if (!formatters.has(locale)) formatters.set(locale, new Intl.Collator([locale, 'en']));
  return formatters.get(locale).compare(one.toWellFormed(), other.toWellFormed());
}
