// An actuator under command: starts it, shows what comes back, and stops it when the page is left. The server decides.
document.addEventListener("alpine:init", function() {
  Alpine.data("command", function() {
    var watched = Gumshoe.watched("command-setup");
    var init = watched.init;
    return Gumshoe.merge(watched, {
      ranHere: false,
      init: function() {
        var self = this;
        init.call(self);
        window.addEventListener("pagehide", function() {
          if (self.state.running) {
            var body = new URLSearchParams({
              csrfmiddlewaretoken: Gumshoe.csrf()
            });
            navigator.sendBeacon(self.setup.stop, body);
          }
        });
      },
      hold: function(event) {
        this.ask(Gumshoe.post(this.setup.set, {
          value: event.currentTarget.dataset.hold
        }), function() {});
      },
      draw: function(state) {
        this.ranHere = this.ranHere || Boolean(state.running || this.state.running);
        this.state = state;
        this.$root.querySelector("[data-command-line]").setAttribute("points", state.command);
        this.$root.querySelector("[data-feedback-line]").setAttribute("points", state.feedback);
      },
      get justNow() {
        return this.ranHere && this.idle && Boolean(this.state.words);
      },
      get notJustNow() {
        return !this.justNow;
      },
      get ended() {
        return this.state.ended || "";
      },
      get valueWords() {
        return this.state.value == null ? "–" : Math.round(this.state.value) + " %";
      },
      get backWords() {
        return this.state.value == null ? "–" : Math.round(this.state.back) + " %";
      },
      get secondsWords() {
        return this.state.seconds == null ? "–" : this.state.seconds + " s";
      }
    });
  });
});
