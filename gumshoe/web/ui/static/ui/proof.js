// The proof drive: the check list, the coverage drawing and the verdict so far, as the server judges them.
document.addEventListener("alpine:init", function() {
  Alpine.data("proof", function() {
    return {
      setup: null,
      state: null,
      trouble: "",
      busy: false,
      init: function() {
        this.setup = Gumshoe.setup("proof-setup");
        this.state = Gumshoe.setup("proof-state");
        this.draw();
        if (this.state.running) this.loop();
      },
      loop: function() {
        var self = this;
        Gumshoe.get(self.setup.state).then(function(state) {
          self.state = state;
          self.trouble = state.trouble;
          self.draw();
          if (state.running && state.drive && !state.drive.driving && self.setup.drivesItself && !self
            .busy) {
            self.finish();
            return;
          }
          if (state.running) setTimeout(function() {
            self.loop();
          }, 400);
        }, function(error) {
          self.trouble = error.message;
          setTimeout(function() {
            self.loop();
          }, 1500);
        });
      },
      begin: function() {
        var self = this;
        Gumshoe.post(self.setup.begin).then(function() {
          self.state.running = true;
          self.trouble = "";
          setTimeout(function() {
            self.loop();
          }, 600);
        }, function(error) {
          self.trouble = error.message;
        });
      },
      finish: function() {
        var self = this;
        self.busy = true;
        Gumshoe.post(self.setup.finish).then(function() {
          window.location.reload();
        }, function(error) {
          self.trouble = error.message;
          self.busy = false;
        });
      },
      draw: function() {
        var root = this.$root,
          state = this.state;
        root.querySelectorAll(".cell").forEach(function(cell) {
          cell.classList.remove("s1", "s2", "s3");
        });
        state.coverage.forEach(function(row) {
          var cell = root.querySelector('[data-cell="' + row[0] + "-" + row[1] + '"]');
          if (cell) cell.classList.add(row[2] > 60 ? "s3" : (row[2] > 10 ? "s2" : "s1"));
        });
        var here = root.querySelector("[data-here]");
        if (here) {
          here.setAttribute("visibility", state.here ? "visible" : "hidden");
          if (state.here) {
            here.setAttribute("cx", state.here[0]);
            here.setAttribute("cy", state.here[1]);
          }
        }
        state.conditions.forEach(function(condition, index) {
          var row = root.querySelector('[data-check="' + index + '"]');
          if (!row) return;
          row.querySelector(".box").textContent = condition.done ? "☑" : "☐";
          row.querySelector(".box").className = "box " + (condition.done ? "is-good" : "is-plain");
          row.querySelector("[data-detail]").textContent = condition.detail;
          row.querySelector("[data-word]").textContent = condition.done ? "done" : "open";
          row.querySelector(".bar span").style.setProperty("width", Math.round(condition.share * 100) +
            "%");
        });
        root.querySelectorAll("[data-ready]").forEach(function(cell) {
          var mark = cell.firstElementChild;
          if (!mark || (state.ready || []).indexOf(cell.dataset.ready) < 0) return;
          mark.className = "is-good";
          mark.textContent = "✓ run";
        });
        var bar = root.querySelector("[data-progress]");
        if (bar) bar.style.setProperty("width", state.drive ? Math.round(state.drive.drive_share * 100) +
          "%" : "0");
      },
      get running() {
        return Boolean(this.state && this.state.running);
      },
      get idle() {
        return !this.running;
      },
      get verdict() {
        return this.state ? this.state.verdict : "";
      },
      get verdictClass() {
        return {
          proven: "stamp is-good",
          "came back": "stamp is-bad"
        } [this.verdict] || "stamp is-wait";
      },
      get counts() {
        return this.state.trips + (this.state.trips === 1 ? " trip, " : " trips, ") + this.state.minutes +
          " min, " + this.state.distance + " watched";
      },
      get driveWords() {
        var d = this.state && this.state.drive;
        return d ? d.rpm + " rpm · " + d.speed_words + " · coolant " + d.coolant_words + " · ×" + Math.round(d
          .speedup) : "";
      },
      get left() {
        return this.state ? this.state.left : "";
      },
      get hasLeft() {
        return Boolean(this.left);
      },
      get hasTrouble() {
        return Boolean(this.trouble);
      }
    };
  });
});
