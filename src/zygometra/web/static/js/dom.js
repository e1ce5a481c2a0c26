/* Small helpers that every module uses. No figure of the trade is worked out in any script. */

export const byId = (id) => document.getElementById(id);

/** The page of a build, or null elsewhere. */
export const build = () => document.querySelector(".bench");

/** Calls `run` for an event on an element that matches, or that lies inside one that does. */
export function on(kind, selector, run) {
  document.addEventListener(kind, (event) => {
    const element = event.target instanceof Element && event.target.closest(selector);
    if (element) run(element, event);
  });
}

/** Whether Control, Command or Alt is held: such keys are the browser's. */
export const isCommand = (event) => event.ctrlKey || event.metaKey || event.altKey;

/** Where a pointer is, in the units of a drawing. */
export function inDrawing(matrix, event) {
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix);
}

/** What the browser remembers between visits; where it may not, drafts are lost and nothing else. */
export const memory = {
  keys() {
    try {
      return Object.keys(localStorage);
    } catch {
      return [];
    }
  },
  get(key) {
    try {
      return localStorage.getItem(key);
    } catch {
      return null;
    }
  },
  set(key, value) {
    try {
      localStorage.setItem(key, value);
    } catch {
      // Private mode.
    }
  },
  forget(key) {
    try {
      localStorage.removeItem(key);
    } catch {
      // Private mode.
    }
  },
};
