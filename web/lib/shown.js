// A field that shows what is, and holds what is being typed.

/** What a field holds while somebody types in it. @type {WeakSet<HTMLInputElement>} */
const typing = new WeakSet();

/**
 * Adds x-shown="what": a field shows it as it changes, but for one in which something
 * is typed that has not been taken yet. News that comes late so takes away nothing.
 */
export function addShown() {
  Alpine.directive(
    "shown",
    /** @param {HTMLInputElement} field @param {{expression: string}} of @param {{effect: (run: () => void) => void, evaluateLater: (text: string) => (take: (value: unknown) => void) => void}} use */ (
      field,
      { expression },
      { effect, evaluateLater },
    ) => {
      const read = evaluateLater(expression);
      let what = "";
      const show = () => {
        if (typing.has(field) || field.value === what) return;
        // What is selected to be typed over stays so.
        const all =
          document.activeElement === field && field.value !== "" && field.selectionEnd === field.value.length && field.selectionStart === 0;
        field.value = what;
        if (all) field.select();
      };
      effect(() =>
        read((/** @type {unknown} */ v) => {
          what = String(v ?? "");
          show();
        }),
      );
      field.addEventListener("input", () => typing.add(field));
      // Before what takes it, which may put something else there.
      field.addEventListener("change", () => typing.delete(field), { capture: true });
      // What was taken stays to be seen until there is news of it: what was there before is no longer so.
      field.addEventListener("blur", () => typing.delete(field) && show());
    },
  );
}
