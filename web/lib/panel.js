// What a panel is: an object whose state the page watches, and whose methods are
// its own. What it needs of others it takes from the app that it is made with.

/**
 * @template {object} T
 * @param {T} own
 * @returns {T}
 */
export const panel = (own) => Alpine.reactive(own);

/** An element of the page by its id. @param {string} id @returns {any} */
export const el = (id) => document.getElementById(id);
