// A number pad for thumbs in gloves: readings on a narrow or a touched screen, each with its unit.
document.addEventListener("DOMContentLoaded", function() {
  "use strict";
  var pad = document.getElementById("pad");
  if (!pad || !window.matchMedia("(max-width: 700px), (pointer: coarse)").matches) return;
  var value = document.getElementById("pad-value"),
    field = null,
    told = "";

  function show(text) {
    told = text;
    value.textContent = text || "–";
  }

  function open(one) {
    field = one;
    document.getElementById("pad-words").textContent = one.dataset.padWords;
    document.getElementById("pad-unit").textContent = one.dataset.pad;
    pad.querySelector("[data-sign=OL]").hidden = one.dataset.pad !== "Ω";
    show(/^-?[0-9.]*$|^OL$/.test(one.value) ? one.value : "");
    pad.returnValue = "";
    pad.showModal();
    pad.querySelector("[data-sign='5']").focus();
  }

  function press(sign) {
    if (sign === "back") show(told === "OL" ? "" : told.slice(0, -1));
    else if (sign === "clear") show("");
    else if (sign === "OL") show("OL");
    else if (sign === "minus") show(told.charAt(0) === "-" ? told.slice(1) : "-" + told.replace("OL", ""));
    else if (sign === "." && told.indexOf(".") >= 0) return;
    else if (told.length < 12) show(told.replace("OL", "") + sign);
  }
  pad.addEventListener("click", function(event) {
    var key = event.target.closest("[data-sign]");
    if (key) press(key.dataset.sign);
  });
  pad.addEventListener("keydown", function(event) {
    if (/^[0-9]$/.test(event.key)) press(event.key);
    else if (event.key === "." || event.key === ",") press(".");
    else if (event.key === "-") press("minus");
    else if (event.key === "Backspace") press("back");
    else if (event.key === "Enter" && !event.target.closest("[data-sign=back], [data-type]")) pad.close("take");
    else return;
    event.preventDefault();
  });
  pad.querySelector("[data-type]").addEventListener("click", function() {
    pad.close("type");
  });
  pad.addEventListener("close", function() {
    if (pad.returnValue === "type") {
      field.inputMode = "text";
      field.focus();
      return;
    }
    if (pad.returnValue === "take" && told !== "-") {
      field.value = told;
      field.dispatchEvent(new Event("input", {
        bubbles: true
      }));
    }
    var all = Array.from(field.form.elements).filter(function(one) {
      return one.type !== "hidden" && one.offsetParent !== null;
    });
    var next = all[all.indexOf(field) + 1];
    if (next) next.focus();
    if (next && next.dataset.pad !== undefined && !next.value && pad.returnValue === "take") open(next);
  });
  document.querySelectorAll("[data-pad]").forEach(function(one) {
    one.inputMode = "none"; // the pad is the keyboard
    one.addEventListener("click", function() {
      if (one.inputMode === "none") open(one);
    });
    one.addEventListener("keydown", function(event) {
      if (event.key === "Enter" && one.inputMode === "none" && !one.value) {
        event.preventDefault();
        open(one);
      }
    });
  });
});
