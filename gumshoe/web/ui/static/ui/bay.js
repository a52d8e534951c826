// The stand-in vehicle in the bay: key, pedal, drives, and what somebody standing there sees.
document.addEventListener("alpine:init", function() {
  Alpine.data("bay", function() {
    return {
      car: {
        key: "…",
        rpm: 0,
        coolant_c: 0,
        speed_kmh: 0,
        lamp: "…",
        running: false,
        driving: false
      },
      trouble: "",
      said: "",
      saying: null,
      timer: null,
      folded: false,
      init: function() {
        var self = this;
        try {
          var kept = localStorage.getItem("gumshoe-bay");
          self.folded = kept ? kept === "folded" : window.matchMedia("(max-width: 700px)").matches;
        } catch (error) {
          /* private window: open */
        }
        // What has the focus is never under the strip, however high it is.
        new ResizeObserver(function() {
          var stuck = getComputedStyle(self.$root).position === "sticky";
          document.documentElement.style.setProperty("--bay", (stuck ? self.$root.offsetHeight : 0) +
            "px");
        }).observe(self.$root);
        self.look();
        self.timer = setInterval(function() {
          self.look();
        }, 1000);
      },
      destroy: function() {
        clearInterval(this.timer);
      },
      url: function() {
        return this.$root.dataset.url;
      },
      look: function() {
        var self = this;
        if (document.hidden) return;
        Gumshoe.get(self.url()).then(function(car) {
          self.car = car;
          self.trouble = "";
        }, function(error) {
          self.trouble = error.message;
        });
      },
      act: function(event) {
        var self = this;
        Gumshoe.post(self.url() + "act/", {
            action: event.currentTarget.dataset.action
          })
          .then(function(car) {
            self.car = car;
            self.trouble = "";
            self.said = car.said || "";
            clearTimeout(self.saying);
            self.saying = setTimeout(function() {
              self.said = "";
            }, 8000);
          }, function(error) {
            self.trouble = error.message;
          });
      },
      get told() {
        return this.trouble || this.said;
      },
      fold: function() {
        this.folded = !this.folded;
        try {
          localStorage.setItem("gumshoe-bay", this.folded ? "folded" : "open");
        } catch (error) {
          /* private window: the choice lasts this page */
        }
      },
      get foldedClass() {
        return this.folded ? "folded" : "";
      },
      get unfolded() {
        return String(!this.folded);
      },
      get foldSign() {
        return this.folded ? "▴" : "▾";
      },
      get keyOnWords() {
        return this.car.running && !this.car.driving ? "Stop engine, key on" : "Key on";
      },
      get rpm() {
        return String(this.car.rpm);
      },
      get coolant() {
        return this.car.coolant_words || "";
      },
      get speed() {
        return this.car.speed_words || "";
      },
      get lamp() {
        return this.car.lamp;
      },
      get keyWords() {
        return this.car.driving ? "driving ×" + Math.round(this.car.speedup) : (this.car.running ? "running" :
          "key " + this.car.key);
      },
      get isOff() {
        return String(this.car.key === "off");
      },
      get isOn() {
        return String(this.car.key !== "off" && !this.car.running);
      },
      get isRunning() {
        return String(Boolean(this.car.running));
      }
    };
  });
});
