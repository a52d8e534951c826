// Who else is in this case, and whether they entered something since this page was opened.
(function() {
  "use strict";
  var EVERY = 15000;

  function start(place) {
    function look() {
      if (document.hidden) return;
      var asked = place.dataset.here + "?stage=" + encodeURIComponent(place.dataset.stage) + "&opened=" +
        encodeURIComponent(place.dataset.opened);
      window.Gumshoe.get(asked).then(function(state) {
        var who = place.querySelector("[data-others]"),
          news = document.querySelector("[data-entered]");
        who.hidden = !state.others.length;
        who.textContent = "Also here: " + state.others.map(function(one) {
          return one.name + (one.stage ? " (" + one.stage + ")" : "");
        }).join(", ");
        if (news && state.entered) {
          news.hidden = false;
          news.querySelector("[data-who]").textContent = state.entered;
        }
      }, function() {
        /* the next look tells; what is entered says by itself when the server is gone */
      });
    }
    look();
    setInterval(look, EVERY);
    document.addEventListener("visibilitychange", look);
  }

  document.addEventListener("DOMContentLoaded", function() {
    document.querySelectorAll("[data-here]").forEach(start);
  });
})();
