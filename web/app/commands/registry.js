// All commands, in one place. Keys, menus, tooltips, the foot line, the page of
// keys and the command palette are made from it: a new command is one entry in
// the file of its group.

import { arrange } from "./arrange.js";
import { go } from "./go.js";
import { levels } from "./levels.js";
import { listen } from "./listen.js";
import { look } from "./look.js";
import { mend } from "./mend.js";
import { picture } from "./picture.js";
import { reel } from "./reel.js";
import { select } from "./select.js";
import { strike } from "./strike.js";
import { trim } from "./trim.js";

/** @typedef {import("../app.js").App} App */

/** Where a menu is opened on the timeline. @typedef {{clip?: Clip, track?: Track}} Place */

/**
 * @typedef {object} Entry
 * @property {string} id
 * @property {string} name as lists of commands show it
 * @property {string[]} keys as they ship, as the browser names them: modifiers in the order ctrl alt shift
 * @property {(app: App) => void} run
 * @property {(app: App) => boolean} [enabled] whether it can do something now; always where it is left out
 * @property {[order: number, text: (app: App, place: Place) => string]} [menu] its place in menus, and what it says there; "" where it is not
 */

/** @typedef {Entry & {group: string}} Command */

/** @param {string} group @param {Entry[]} entries @returns {Command[]} */
const grouped = (group, entries) => entries.map((entry) => ({ ...entry, group }));

/** @type {readonly Command[]} */
export const commands = Object.freeze([
  ...grouped("Listen", listen),
  ...grouped("Go", go),
  ...grouped("Look", look),
  ...grouped("Select", select),
  ...grouped("Trim", trim),
  ...grouped("Arrange", arrange),
  ...grouped("Mend", mend),
  ...grouped("Levels", levels),
  ...grouped("Picture", picture),
  ...grouped("Strike", strike),
  ...grouped("Reel", reel),
]);

const byId = new Map(commands.map((c) => [c.id, c]));

/** A command by its id. @param {string} id */
export const commandNamed = (id) => byId.get(id);

/** What can be done at a place of the timeline. @param {App} app @param {Place} place */
export const menuAt = (app, place) =>
  commands
    .flatMap((c) => (c.menu ? [{ id: c.id, order: c.menu[0], text: c.menu[1](app, place) }] : []))
    .filter((item) => item.text)
    .sort((a, b) => a.order - b.order);
