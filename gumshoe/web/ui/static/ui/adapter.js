// An adapter's test: what it is doing now, and the page anew when it has ended.
document.addEventListener("alpine:init", function() {
  Alpine.data("adapter", function() {
    return {
      said: "",
      passed: "",
      timer: null,
      init: function() {
        var self = this;
        var began = Date.now();
        self.timer = setInterval(function() {
          self.passed = Math.round((Date.now() - began) / 1000) + " s";
          Gumshoe.get(self.$root.dataset.url).then(function(state) {
            self.said = state.said;
            if (state.done) window.location.reload();
          }, function(error) {
            self.said = error.message;
          });
        }, 700);
      },
      destroy: function() {
        clearInterval(this.timer);
      }
    };
  });
});
