// Formatting for people by the browser itself (ECMA-402), for the functions of `Local`; and upper and
// lower case, whose tables it has.

const known = new Map();

/** A formatter, made once for each of its options. */
function made(Kind, locale, options) {
  const key = `${Kind.name} ${locale} ${JSON.stringify(options)}`;
  if (!known.has(key)) known.set(key, new Kind(locale, options));
  return known.get(key);
}

const DATES = ['full', 'long', 'medium', 'short'];

const FUNCTIONS = {
  number(locale, _, n, most, least = 0) {
    const options = { minimumFractionDigits: least, maximumFractionDigits: Math.max(most ?? 3, least) };
    return made(Intl.NumberFormat, locale, options).format(n);
  },
  percent(locale, _, n, most = 0) {
    return made(Intl.NumberFormat, locale, { style: 'percent', maximumFractionDigits: most }).format(n);
  },
  money(locale, _, n, currency) {
    return made(Intl.NumberFormat, locale, { style: 'currency', currency }).format(n);
  },
  measure(locale, _, n, unit) {
    return made(Intl.NumberFormat, locale, { style: 'unit', unit }).format(n);
  },
  date(locale, timeZone, n, style) {
    const dateStyle = DATES.includes(style) ? style : 'medium';
    return made(Intl.DateTimeFormat, locale, { timeZone, dateStyle }).format(n);
  },
  time(locale, timeZone, n, style) {
    const timeStyle = style === 'short' ? 'short' : 'medium';
    return made(Intl.DateTimeFormat, locale, { timeZone, timeStyle }).format(n);
  },
  dateTime(locale, timeZone, n, style) {
    const both = style === 'short' ? 'short' : 'medium';
    return made(Intl.DateTimeFormat, locale, { timeZone, dateStyle: both, timeStyle: both }).format(n);
  },
  ago(locale, _, n, unit) {
    return made(Intl.RelativeTimeFormat, locale, {}).format(n, unit);
  },
  plural(locale, _, n) {
    return made(Intl.PluralRules, locale, {}).select(n);
  },
  list(locale, _, items, kind) {
    return made(Intl.ListFormat, locale, { type: kind === 'or' ? 'disjunction' : 'conjunction' }).format(items);
  },
};

const CASES = ['toUpperCase', 'toLowerCase'];

/** What a function of `Local` gives, or a text in another case; what cannot be said in the locale is said plainly. */
export function format(name, args, { locale = 'en', zone = 'UTC' }) {
  if (CASES.includes(name)) return args[0][name]();
  try {
    return FUNCTIONS[name](locale, zone, ...args).replaceAll('\u202f', ' ');
  } catch {
    return String(args[0] ?? '');
  }
}
