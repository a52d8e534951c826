// The Clear page's guard looks again by itself: key, engine and loose ends change while somebody works at the car.
(function() {
  "use strict";
  var EVERY_MS = 2000;
  document.addEventListener("DOMContentLoaded", function() {
    var mark = document.querySelector("[data-guard]");
    var touched = false;
    if (!mark) return;
    document.addEventListener("input", function() {
      touched = true;
    });
    document.addEventListener("submit", function() {
      touched = true;
    });
    setInterval(function() {
      if (touched || document.hidden || document.querySelector("dialog[open]")) return;
      window.Gumshoe.get(mark.dataset.guardUrl).then(function(now) {
        if (!touched && now.guard !== mark.dataset.guard) window.location.reload();
      }, function() {
        /* the server is gone: the page stays as it is */
      });
    }, EVERY_MS);
  });
})();
