// An actuator under command: starts it, shows what comes back, and stops it when the page is left. The server decides.
document.addEventListener("alpine:init", function() {
  Alpine.data("command", function() {
    return {
      setup: null,
      state: {
        running: false
      },
      trouble: "",
      ranHere: false,
      init: function() {
        var self = this;
        self.setup = Gumshoe.setup("command-setup");
        window.addEventListener("pagehide", function() {
          if (self.state.running) {
            var body = new URLSearchParams({
              csrfmiddlewaretoken: Gumshoe.csrf()
            });
            navigator.sendBeacon(self.setup.stop, body);
          }
        });
        self.look();
      },
      look: function() {
        var self = this;
        Gumshoe.get(self.setup.state).then(function(state) {
          self.draw(state);
          if (state.running) setTimeout(function() {
            self.look();
          }, 300);
        }, function(error) {
          self.trouble = error.message;
        });
      },
      start: function() {
        var self = this;
        self.trouble = "";
        Gumshoe.post(self.setup.start).then(function() {
          self.state = {
            running: true
          };
          self.ranHere = true;
          self.look();
        }, function(error) {
          self.trouble = error.message;
        });
      },
      stop: function() {
        var self = this;
        Gumshoe.post(self.setup.stop).then(function(state) {
          self.draw(state);
        }, function(error) {
          self.trouble = error.message;
        });
      },
      hold: function(event) {
        var self = this;
        Gumshoe.post(self.setup.set, {
          value: event.currentTarget.dataset.hold
        }).then(function() {
          self.trouble = "";
        }, function(error) {
          self.trouble = error.message;
        });
      },
      draw: function(state) {
        this.state = state;
        this.$root.querySelector("[data-command-line]").setAttribute("points", state.command);
        this.$root.querySelector("[data-feedback-line]").setAttribute("points", state.feedback);
      },
      get running() {
        return Boolean(this.state.running);
      },
      get idle() {
        return !this.state.running;
      },
      get words() {
        return this.state.words || "";
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
      },
      get hasTrouble() {
        return Boolean(this.trouble);
      }
    };
  });
});
