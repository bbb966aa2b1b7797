/** What is worked out of something immutable, once: a storm of findings asks for it thousands of times. */
export function once<K extends object, V>(workOut: (of: K) => V): (of: K) => V {
  const known = new WeakMap<K, V>();
  return (of) => {
    if (!known.has(of)) known.set(of, workOut(of));
    return known.get(of)!;
  };
}
