// Texts in the language of the page, by their English template; English where the page brings no other words.
const { texts = {}, plural = () => 0 } = window.lumenstatWords ?? {};

function filled(template, values) {
  return template.replace(/\{(\w+)\}/g, (whole, name) => values[name] ?? whole);
}

export function _(template, values = {}) {
  return filled(texts[template] ?? template, values);
}

export function _n(one, many, count, values = {}) {
  const template = texts[one]?.[plural(count)] ?? (count === 1 ? one : many);
  return filled(template, { count, ...values });
}
