// A search that shows what it finds while somebody types; arrows go through it, Escape closes it.
(function() {
  "use strict";
  var WAIT = 160;

  function start(form) {
    var field = form.querySelector("input[type=search]"),
      place = document.getElementById(form.dataset.into),
      folds = place.hidden,
      timer = null,
      turn = 0;

    function links() {
      return Array.from(place.querySelectorAll("a, button"));
    }

    function show(on) {
      if (folds) place.hidden = !on;
    }

    function ask() {
      var mine = ++turn,
        text = field.value.trim();
      if (!text && folds) return show(false);
      fetch(form.dataset.find + "?q=" + encodeURIComponent(text)).then(function(response) {
        if (!response.ok || response.redirected) throw new Error();
        return response.text();
      }).then(function(html) {
        if (mine !== turn) return;
        place.innerHTML = html;
        place.dataset.found = text;
        show(true);
      }, function() {
        if (mine !== turn) return;
        place.textContent = "The search does not answer. Press Enter to try again.";
        show(true);
      });
    }
    field.addEventListener("input", function() {
      clearTimeout(timer);
      timer = setTimeout(ask, WAIT);
    });

    function step(event) {
      var all = links(),
        at = all.indexOf(document.activeElement);
      if (event.key === "Escape" && folds && !place.hidden) {
        show(false);
        field.focus();
      } else if (event.key === "ArrowDown" && all.length) {
        show(true);
        all[Math.min(at + 1, all.length - 1)].focus();
      } else if (event.key === "ArrowUp" && at >= 0) {
        (at ? all[at - 1] : field).focus();
      } else {
        return;
      }
      event.preventDefault();
    }
    form.addEventListener("keydown", step);
    if (!form.contains(place)) place.addEventListener("keydown", step);
    document.addEventListener("click", function(event) {
      if (!form.contains(event.target)) show(false);
    });
    field.addEventListener("click", function() {
      if (field.value.trim() && place.childElementCount) show(true);
    });
  }

  document.addEventListener("DOMContentLoaded", function() {
    document.querySelectorAll("form[data-find]").forEach(start);
  });
})();
