// Words that several panels share.

/** So many of something, in the singular or the plural. @param {number} n @param {string} one @param {string} [many] */
export const count = (n, one, many = `${one}s`) => `${n} ${n === 1 ? one : many}`;
