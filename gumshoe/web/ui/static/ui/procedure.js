// An after-work procedure: starts it, shows how far it is, and how it ended. The server decides.
document.addEventListener("alpine:init", function() {
  Alpine.data("procedure", function() {
    return {
      setup: null,
      state: {
        running: false,
        words: "",
        share: 0
      },
      trouble: "",
      init: function() {
        this.setup = Gumshoe.setup("procedure-setup");
        this.look();
      },
      look: function() {
        var self = this;
        Gumshoe.get(self.setup.state).then(function(state) {
          self.state = state;
          var bar = self.$root.querySelector("[data-progress]");
          if (bar) bar.style.setProperty("width", Math.round(state.share * 100) + "%");
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
            running: true,
            words: "",
            share: 0
          };
          self.look();
        }, function(error) {
          self.trouble = error.message;
        });
      },
      stop: function() {
        var self = this;
        Gumshoe.post(self.setup.stop).then(function(state) {
          self.state = state;
        }, function(error) {
          self.trouble = error.message;
        });
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
      get hasTrouble() {
        return Boolean(this.trouble);
      }
    };
  });
});
