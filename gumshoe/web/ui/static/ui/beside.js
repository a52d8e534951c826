// The page of what is done beside asks whether it has ended, and then goes on to where it leads.
(function() {
  "use strict";
  var EVERY_MS = 1000;
  document.addEventListener("DOMContentLoaded", function() {
    var mark = document.querySelector("[data-beside]");
    if (!mark) return;
    var seconds = mark.querySelector("[data-seconds]");
    var timer = setInterval(function() {
      window.Gumshoe.get(mark.dataset.beside).then(function(now) {
        seconds.textContent = now.seconds;
        if (!now.done) return;
        clearInterval(timer);
        window.location.assign(mark.dataset.beside);
      }, function() {
        /* the server is gone: the page stays as it is */
      });
    }, EVERY_MS);
  });
})();
