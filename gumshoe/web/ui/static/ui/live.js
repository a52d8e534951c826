// The Live page: what the car tells now, and stored recordings, on the same strips.
document.addEventListener("alpine:init", function() {
  // What both pages share: the strips, the stretch and its figures, marks, the view.
  function shared(live) {
    return {
      setup: null,
      strips: null,
      message: "",
      figures: [],
      stretch: "",
      note: "",
      big: window.matchMedia("(max-width: 700px)").matches,
      selecting: false,
      span: "",
      paused: false,
      cursorAt: "",
      prepare: function() {
        var self = this;
        self.setup = Gumshoe.setup("live-setup");
        self.strips = new Gumshoe.Strips(self.$root, self.setup.strips, {
          live: live,
          selected: function(stretch) {
            self.ask(stretch);
          },
          moved: function() {
            self.told();
          },
          pointed: function(at) {
            self.cursorAt = at === null ? "" : "at " + self.strips.clock(at);
            self.strips.heads(self.now);
          }
        });
        self.strips.marks = self.setup.marks;
        self.told();
      },
      now: null,
      told: function() {
        var wide = this.strips.x1 - this.strips.x0;
        this.span = wide >= 90 ? (wide / 60).toFixed(wide >= 600 ? 0 : 1) + " min" : (wide >= 10 ? wide.toFixed(
          0) : wide.toFixed(1)) + " s";
        this.paused = live && !this.strips.follow;
      },
      ask: function(stretch) {
        var self = this,
          keys = Object.keys(self.strips.columns).join(",");
        Gumshoe.get(self.setup.figures + "?from=" + stretch[0] + "&to=" + stretch[1] + "&keys=" + keys).then(
          function(answer) {
            self.figures = answer.rows.map(function(row) {
              return {
                name: row.name,
                unit: row.unit,
                least: row.least.toFixed(2),
                most: row.most.toFixed(2),
                mean: row.mean.toFixed(2),
                count: row.count
              };
            });
            self.stretch = (stretch[1] - stretch[0]).toFixed(1) + " s";
            self.message = "";
          },
          function(error) {
            self.message = error.message;
          });
      },
      get hasFigures() {
        return this.figures.length > 0;
      },
      get hasMessage() {
        return Boolean(this.message);
      },
      get bigWords() {
        return this.big ? "Strips" : "Big numbers";
      },
      get bigState() {
        return String(this.big);
      },
      get selectState() {
        return String(this.selecting);
      },
      get rootClass() {
        return (this.big ? "big-numbers" : "") + (this.stale ? " stale" : "");
      },
      toggleBig: function() {
        this.big = !this.big;
        var self = this;
        setTimeout(function() {
          self.strips.resize();
        }, 0);
      },
      toggleSelect: function() {
        this.selecting = !this.selecting;
        this.strips.selecting = this.selecting;
      },
      forget: function() {
        this.figures = [];
        this.strips.selection = null;
        this.strips.redraw();
      },
      wide: function(event) {
        this.strips.last(Number(event.currentTarget.dataset.seconds));
      },
      all: function() {
        this.strips.all();
      },
      closer: function() {
        this.strips.zoom(0.5);
      },
      farther: function() {
        this.strips.zoom(2);
      },
      back: function() {
        var s = this.strips,
          w = s.x1 - s.x0;
        s.show(s.x0 - w / 2, s.x1 - w / 2);
      },
      forth: function() {
        var s = this.strips,
          w = s.x1 - s.x0;
        s.show(s.x0 + w / 2, s.x1 + w / 2);
      },
      mark: function() {
        var self = this,
          at = self.strips.cursor === null ? (live ? self.strips.newest() : (self.strips.x0 + self.strips.x1) /
            2) : self.strips.cursor;
        Gumshoe.post(self.setup.mark, {
          at: at,
          text: self.note
        }).then(function(row) {
          self.setup.marks.push(row);
          self.note = "";
          self.message = "";
          self.strips.redraw();
          self.markRows = self.listed();
        }, function(error) {
          self.message = error.message;
        });
      },
      markRows: [],
      listed: function() {
        var s = this.strips,
          first = s.begin() - 1,
          last = s.newest() + 1;
        return this.setup.marks.filter(function(row) {
            return row.at >= first && row.at <= last;
          })
          .map(function(row) {
            return {
              at: row.at,
              text: row.text || "marked",
              when: s.clock(row.at),
              by: row.by
            };
          }).reverse().slice(0, 30);
      },
      goTo: function(event) {
        var at = Number(event.currentTarget.dataset.at),
          wide = this.strips.x1 - this.strips.x0;
        this.strips.show(at - wide / 2, at + wide / 2);
      }
    };
  }

  Alpine.data("live", function() {
    var stopped = false,
      every = 0;
    return Gumshoe.merge(shared(true), {
      region: "connecting …",
      stale: false,
      fuel: "",
      trouble: "",
      cursor: 0,
      recording: null,
      ready: {},
      label: "",
      init: function() {
        var self = this,
          keys;
        self.prepare();
        keys = Object.keys(self.strips.columns).join(",");
        self.query = "&keys=" + encodeURIComponent(keys);
        Gumshoe.bytes(self.setup.history + "?keys=" + encodeURIComponent(keys)).then(function(buffer) {
            self.cursor = self.strips.take(buffer).cursor;
          }, function() {
            /* news tell what is wrong */
          })
          .finally(function() {
            self.strips.last(60);
            self.loop();
          });
      },
      destroy: function() {
        stopped = true;
      },
      loop: function() {
        var self = this;
        if (stopped) return;
        every += 1;
        Gumshoe.get(self.setup.news + "?cursor=" + self.cursor + (every % 3 === 1 ? "&look=1" : "") + self
            .query)
          .then(function(news) {
            self.takeNews(news, every % 3 === 1);
          }, function(error) {
            self.lost(error);
          })
          .finally(function() {
            setTimeout(function() {
              self.loop();
            }, document.hidden ? 2000 : 400);
          });
      },
      // The server is gone: what is shown is old, and says so.
      lost: function(error) {
        this.trouble = error.message + (this.recording ?
          " A recording that runs goes on at the server as long as the server does." : "");
        this.region = "no data: what is shown is old";
        this.stale = true;
        this.$root.querySelectorAll(".verdict").forEach(function(verdict) {
          verdict.textContent = "? old";
          verdict.className = "verdict is-wait";
        });
      },
      takeNews: function(news, looked) {
        this.stale = false;
        var self = this,
          wasRecording = self.recording,
          s = self.strips;
        self.cursor = news.cursor;
        self.region = news.region;
        self.fuel = news.fuel;
        self.ready = news.ready;
        self.recording = news.recording;
        self.now = news.now;
        self.trouble = news.trouble ? news.trouble.what + (news.trouble.remedies.length ? " Try: " + news
          .trouble.remedies.join("; ") + "." : "") : "";
        Object.keys(news.columns).forEach(function(key) {
          var fresh = news.columns[key],
            kept = s.columns[key];
          for (var i = 0; kept && i < fresh[0].length; i += 1) kept.push(fresh[0][i], fresh[1][i]);
        });
        self.keepBands(news);
        if (looked) news.disturbed.forEach(function(row) {
          var kept = s.disturbed[row.key] = s.disturbed[row.key] || [];
          if (!kept.some(function(old) {
              return Math.abs(old.from - row.from) < 0.01;
            })) kept.push(row);
        });
        s.redraw();
        s.heads(self.now);
        self.verdicts(news);
        self.progress();
        self.markRows = self.listed();
        if (wasRecording && !news.recording) window.location.reload();
      },
      keepBands: function(news) {
        var s = this.strips,
          to = s.newest();
        s.strips.forEach(function(strip) {
          var key = strip.series[0].key,
            band = news.bands[key],
            kept = s.bands[key] = s.bands[key] || [],
            last = kept[kept.length - 1];
          if (!band) return;
          if (last && last[2] === band.low && last[3] === band.high && to - last[1] < 3) last[1] = to;
          else kept.push([last ? Math.max(to - 0.3, last[1]) : to - 0.3, to, band.low, band.high]);
        });
      },
      verdicts: function(news) {
        var self = this;
        self.setup.strips.forEach(function(strip) {
          var box = self.$root.querySelector('[data-strip="' + CSS.escape(strip.id) + '"]'),
            key = strip.series[0].key,
            band = news.bands[key];
          var judged = strip.series.filter(function(item) {
            return news.bands[item.key] && news.bands[item.key].verdict;
          });
          var odd = judged.filter(function(item) {
              return news.bands[item.key].verdict !== "in band";
            })[0],
            told = odd || judged[0];
          var said = told && news.bands[told.key].verdict,
            inside = said === "in band",
            verdict = box.querySelector(".verdict");
          verdict.textContent = said ? {
            "in band": "✓ ",
            above: "▲ ",
            below: "▼ "
          } [said] + (odd && strip.series.length > 1 ? odd.label + " " : "") + said : "";
          verdict.className = "verdict " + (inside ? "is-good" : "is-bad");
          strip.series.forEach(function(item) {
            var gone = strip.series.length > 1 && news.absent.indexOf(item.key) >= 0;
            box.querySelector('[data-value="' + CSS.escape(strip.id + " " + item.key) + '"]')
              .parentNode.hidden = gone;
          });
          var absent = strip.series.every(function(item) {
            return news.absent.indexOf(item.key) >= 0;
          });
          box.querySelector("[data-band]").textContent = absent ? "this car does not tell it" : (
            band ? "expected " + band.low.toFixed(1) + " … " + band.high.toFixed(1) + " (" + band
            .source + ")" : "no expectation in this region");
          box.querySelector("[data-rate]").textContent = news.rates[key] ? news.rates[key] + " /s" :
            "";
        });
      },
      progress: function() {
        var self = this,
          guided = self.recording && self.recording.guided,
          bar = self.$root.querySelector("[data-progress]");
        if (bar) bar.style.setProperty("width", guided ? Math.round(self.recording.share * 100) + "%" :
          "100%");
        self.$root.querySelectorAll("[data-purpose]").forEach(function(button) {
          button.disabled = Boolean(self.recording) || !self.ready[button.dataset.purpose];
          var card = button.closest("[data-card]");
          card.querySelector("[data-state]").textContent = self.recording ? "" : (self.ready[button
            .dataset.purpose] ? "● in this region now" : "○ not in this region yet");
        });
      },
      get isRecording() {
        return Boolean(this.recording);
      },
      get notRecording() {
        return !this.recording;
      },
      get left() {
        if (!this.recording) return "";
        var s = this.recording,
          done = Math.floor(s.seconds);
        return s.guided ? Math.ceil(s.left) + " s left" : Math.floor(done / 60) + ":" + String(done % 60)
          .padStart(2, "0") + ", " + s.samples + " samples";
      },
      get pauseWords() {
        return this.paused ? "Go on" : "Pause the picture";
      },
      get hasTrouble() {
        return Boolean(this.trouble);
      },
      begin: function(event) {
        this.send({
          purpose: event.currentTarget.dataset.purpose
        });
      },
      beginFree: function() {
        this.send({
          label: this.label
        });
      },
      send: function(what) {
        var self = this;
        Gumshoe.post(self.setup.begin, what).then(function() {
          self.message = "";
        }, function(error) {
          self.message = error.message;
        });
      },
      stop: function() {
        var self = this;
        self.message = "Stopping … what came is being kept.";
        Gumshoe.post(self.setup.stop).then(function() {
          self.message = "Stopped: what came is kept with the case.";
        }, function(error) {
          self.message = error.message + (error.gone ?
            " The recording was not stopped by this press; what reached the server is kept." : "");
        });
      },
      pause: function() {
        var s = this.strips;
        if (s.follow) {
          s.follow = false;
          this.told();
        } else s.last(s.span);
      }
    });
  });

  Alpine.data("replay", function() {
    return Gumshoe.merge(shared(false), {
      loading: true,
      speed: 0,
      timer: null,
      init: function() {
        var self = this;
        self.prepare();
        Gumshoe.bytes(self.setup.data).then(function(buffer) {
          var head = self.strips.take(buffer);
          self.strips.bands = head.bands;
          head.disturbed.forEach(function(row) {
            (self.strips.disturbed[row.key] = self.strips.disturbed[row.key] || []).push(row);
          });
          self.loading = false;
          self.strips.all();
          self.strips.heads(null);
          self.markRows = self.listed();
        }, function(error) {
          self.message = error.message;
          self.loading = false;
        });
      },
      get isLoading() {
        return this.loading;
      },
      get playWords() {
        return this.timer ? "Stop" : "Replay";
      },
      play: function() {
        var self = this,
          s = self.strips;
        if (self.timer) {
          clearInterval(self.timer);
          self.timer = null;
          return;
        }
        var at = s.begin(),
          end = s.newest(),
          wide = Math.min(60, end - at),
          was = Date.now();
        self.timer = setInterval(function() {
          at += (Date.now() - was) / 1000;
          was = Date.now();
          s.cursor = Math.min(at, end);
          s.show(s.cursor - wide, s.cursor);
          s.heads(null);
          if (at >= end) {
            clearInterval(self.timer);
            self.timer = null;
          }
        }, 50);
      },
      showStretch: function(event) {
        var from = Number(event.currentTarget.dataset.from),
          to = Number(event.currentTarget.dataset.to),
          room = Math.max((to - from) * 0.1, 1);
        this.strips.select(from, to, true);
        this.strips.show(from - room, to + room);
      },
      keepStretch: function() {
        var self = this,
          stretch = self.strips.selection;
        Gumshoe.post(self.setup.cut, {
          from: stretch[0],
          to: stretch[1]
        }).then(function(made) {
          window.location = made.url;
        }, function(error) {
          self.message = error.message;
        });
      }
    });
  });
});
