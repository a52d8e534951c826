// Pictures that answer: pointing at, or moving to, whatever names a part or a code lights it everywhere on the page.
// What is lit and what is said was computed by the server; here it is only shown.
(() => {
  const light = (name, on) => {
    for (const part of document.querySelectorAll(`[data-part="${CSS.escape(name)}"]`)) {
      part.classList.toggle("lit", on);
      const line = part.closest("[data-map]")?.querySelector("[data-map-line]");
      if (on && line && part.dataset.words) line.textContent = part.dataset.words;
    }
  };
  const names = (element) => (element.dataset.lights || element.dataset.part || "").split(" ").filter(Boolean);
  for (const element of document.querySelectorAll("[data-lights], [data-part]")) {
    const set = (on) => () => names(element).forEach((name) => light(name, on));
    element.addEventListener("pointerenter", set(true));
    element.addEventListener("pointerleave", set(false));
    element.addEventListener("focusin", set(true));
    element.addEventListener("focusout", set(false));
  }
})();
