// Typed arithmetic in number fields: + - * / and brackets, decimal points or commas. No names, no functions, no eval.

/** The value of an expression, or null when it is not one. */
export function evaluate(text: string): number | null {
  const tokens = text.replaceAll(",", ".").match(/\d*\.?\d+(?:e[+-]?\d+)?|[-+*/()]|\S/gi);
  if (!tokens) return null;
  let at = 0;
  const fail = Symbol();
  const atom = (): number => {
    const token = tokens[at++];
    if (token === "-") return -atom();
    if (token === "+") return atom();
    if (token === "(") {
      const value = sum();
      if (tokens[at++] !== ")") throw fail;
      return value;
    }
    const value = Number(token);
    if (token === undefined || Number.isNaN(value)) throw fail;
    return value;
  };
  const product = (): number => {
    let value = atom();
    while (tokens[at] === "*" || tokens[at] === "/")
      value = tokens[at++] === "*" ? value * atom() : value / atom();
    return value;
  };
  const sum = (): number => {
    let value = product();
    while (tokens[at] === "+" || tokens[at] === "-")
      value = tokens[at++] === "+" ? value + product() : value - product();
    return value;
  };
  try {
    const value = sum();
    return at === tokens.length && Number.isFinite(value) ? value : null;
  } catch (error) {
    if (error === fail) return null;
    throw error;
  }
}
