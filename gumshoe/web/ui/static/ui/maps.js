// Pictures that answer: pointing at, or moving to, whatever names a part or a code lights it everywhere on the page.
// What is lit and what is said was computed by the server; here it is only shown.
(() => {
  // The name of what is lit, at the part itself, inside the picture.
  const name_it = (part) => {
    const svg = part.ownerSVGElement,
      at = part.transform?.baseVal?.[0]?.matrix,
      words = part.dataset.words;
    if (!svg || !at || !words || !svg.classList.contains("map")) return;
    if (svg.querySelector(`[data-name-of="${CSS.escape(part.dataset.part)}"]`)) return;
    const make = (kind, values) => {
      const element = document.createElementNS("http://www.w3.org/2000/svg", kind);
      for (const [key, value] of Object.entries(values)) element.setAttribute(key, value);
      return element;
    };
    const group = make("g", {
      class: "lit-name",
      "data-name-of": part.dataset.part,
      "aria-hidden": "true"
    });
    const text = make("text", {
      x: 0,
      y: 0
    });
    text.textContent = words.split(":")[0];
    group.append(text);
    svg.append(group);
    const box = text.getBBox(),
      wide = svg.viewBox.baseVal.width;
    const x = Math.min(Math.max(at.e - box.width / 2, 8), wide - box.width - 8);
    const y = at.f > 60 ? at.f - 22 : at.f + 34;
    text.setAttribute("x", x);
    text.setAttribute("y", y);
    group.prepend(make("rect", {
      x: x - 5,
      y: y - box.height + 2,
      width: box.width + 10,
      height: box.height + 4,
      rx: 3
    }));
  };
  const light = (name, on) => {
    for (const part of document.querySelectorAll(`[data-part="${CSS.escape(name)}"]`)) {
      part.classList.toggle("lit", on);
      if (on) name_it(part);
      else part.ownerSVGElement?.querySelector(`[data-name-of="${CSS.escape(name)}"]`)?.remove();
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
