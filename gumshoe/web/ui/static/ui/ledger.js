// A part pressed on the engine map is chosen in the ledger's form. Enter does the same for a part named in the list.
document.addEventListener("DOMContentLoaded", function() {
  var form = document.querySelector("[data-ledger-form]");
  if (!form) return;

  function choose(name) {
    var select = form.elements.component;
    if (!Array.from(select.options).some(function(option) {
        return option.value === name;
      })) return;
    select.value = name;
    form.querySelector("button[type=submit]").focus();
    form.scrollIntoView({
      block: "nearest"
    });
  }
  document.querySelectorAll("[data-map] [data-part]").forEach(function(part) {
    part.addEventListener("click", function() {
      choose(part.dataset.part);
    });
  });
  document.querySelectorAll("[data-map] button[data-lights]").forEach(function(button) {
    button.addEventListener("click", function() {
      choose(button.dataset.lights.split(" ")[0]);
    });
  });
});
