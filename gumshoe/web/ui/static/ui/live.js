// Strip charts: what the server computed, drawn. Bands, regions and verdicts come with the data.
document.addEventListener("alpine:init", function () {
  Alpine.data("live", function () {
    var charts = {}, columns = {}, bands = {}, stopped = false, pausedAt = null;
    var SPAN = 60, KEEP = 6000;

    function css(name) { return getComputedStyle(document.documentElement).getPropertyValue(name).trim(); }

    function chart(channel, holder) {
      var options = {
        width: holder.clientWidth || 360, height: 92, legend: { show: false }, cursor: { sync: { key: "live" }, drag: { x: false, y: false } },
        padding: [4, 4, 0, 0],
        scales: { x: { time: false, range: function (u, low, high) { return [high - SPAN, high]; } },
          y: { range: function (u, low, high) { return span(channel.key, low, high); } } },
        axes: [
          { show: true, size: 18, font: "11px Atkinson", stroke: css("--ink-soft"), grid: { stroke: css("--rule"), width: 1 }, ticks: { show: false },
            values: function (u, ticks) { var end = u.scales.x.max; return ticks.map(function (t) { return Math.round(t - end) + " s"; }); } },
          { size: 46, font: "11px Spline Sans Mono", stroke: css("--ink-soft"), grid: { stroke: css("--rule"), width: 1 }, ticks: { show: false } }
        ],
        series: [{}, { stroke: css("--trace"), width: 1.6, points: { show: false } }],
        hooks: { drawClear: [function (u) {
          var band = bands[channel.key];
          if (!band) return;
          var top = u.valToPos(band.high, "y", true), bottom = u.valToPos(band.low, "y", true);
          u.ctx.save();
          u.ctx.fillStyle = css("--band");
          u.ctx.fillRect(u.bbox.left, Math.max(top, u.bbox.top), u.bbox.width, Math.min(bottom, u.bbox.top + u.bbox.height) - Math.max(top, u.bbox.top));
          u.ctx.restore();
        }] }
      };
      return new uPlot(options, [[], []], holder);
    }
    function span(key, low, high) {
      var band = bands[key];
      if (low === null || high === null) { low = 0; high = 1; }
      if (band) { low = Math.min(low, band.low); high = Math.max(high, band.high); }
      var room = (high - low) * 0.12 || Math.abs(high) * 0.05 || 1;
      return [low - room, high + room];
    }
    return {
      region: "connecting …", fuel: "", trouble: "", message: "", setup: null, cursor: 0, recording: null, ready: {}, paused: false, seen: false,
      init: function () {
        var self = this;
        self.setup = Gumshoe.setup("live-setup");
        self.setup.channels.forEach(function (channel) {
          columns[channel.key] = [[], []];
          charts[channel.key] = chart(channel, self.$root.querySelector('[data-plot="' + channel.key + '"]'));
        });
        window.addEventListener("resize", function () {
          self.setup.channels.forEach(function (channel) { var c = charts[channel.key]; c.setSize({ width: c.root.parentNode.clientWidth, height: 92 }); });
        });
        self.loop();
      },
      destroy: function () { stopped = true; },
      loop: function () {
        var self = this;
        if (stopped) return;
        Gumshoe.get(self.setup.news + "?cursor=" + self.cursor).then(function (news) { self.take(news); }, function (error) { self.trouble = error.message; self.region = "no data"; })
          .finally(function () { setTimeout(function () { self.loop(); }, document.hidden ? 2000 : 250); });
      },
      take: function (news) {
        var self = this, wasRecording = self.recording;
        self.cursor = news.cursor; self.region = news.region; self.fuel = news.fuel; self.ready = news.ready; self.recording = news.recording; bands = news.bands;
        self.trouble = news.trouble ? news.trouble.what + " Try: " + news.trouble.remedies.join("; ") + "." : "";
        self.setup.channels.forEach(function (channel) {
          var fresh = news.columns[channel.key], kept = columns[channel.key];
          if (fresh) {
            for (var i = 0; i < fresh[0].length; i += 1) { kept[0].push(fresh[0][i]); kept[1].push(fresh[1][i]); }
            if (kept[0].length > KEEP) { kept[0].splice(0, kept[0].length - KEEP); kept[1].splice(0, kept[1].length - KEEP); }
          }
          if (!self.paused) charts[channel.key].setData([kept[0], kept[1]]);
          self.show(channel, news);
        });
        self.progress();
        if (wasRecording && !news.recording) window.location.reload();
      },
      show: function (channel, news) {
        var head = this.$root.querySelector('[data-strip="' + channel.key + '"]'), value = news.now[channel.key], band = news.bands[channel.key];
        head.querySelector(".now").textContent = value === undefined ? "–" : (Math.abs(value) >= 100 ? value.toFixed(0) : value.toFixed(Math.abs(value) >= 10 ? 1 : 2));
        var verdict = head.querySelector(".verdict"), said = band && band.verdict, inside = said === "in band";
        verdict.textContent = said ? { "in band": "✓ ", above: "▲ ", below: "▼ " }[said] + said : "";
        verdict.className = "verdict " + (inside ? "is-good" : "is-bad");
        head.querySelector("[data-band]").textContent = band ? "expected " + band.low.toFixed(1) + " … " + band.high.toFixed(1) + " (" + band.source + ")" : "no expectation in this region";
        head.querySelector("[data-rate]").textContent = news.rates[channel.key] ? news.rates[channel.key] + " /s" : "";
      },
      progress: function () {
        var bar = this.$root.querySelector("[data-progress]");
        if (bar) bar.style.setProperty("width", this.recording ? Math.round(this.recording.share * 100) + "%" : "0");
        var self = this;
        this.$root.querySelectorAll("[data-purpose]").forEach(function (button) {
          button.disabled = Boolean(self.recording) || !self.ready[button.dataset.purpose];
          var card = button.closest("[data-card]");
          card.querySelector("[data-state]").textContent = self.recording ? "" : (self.ready[button.dataset.purpose] ? "● in this region now" : "○ not in this region yet");
        });
      },
      get isRecording() { return Boolean(this.recording); },
      get left() { return this.recording ? Math.ceil(this.recording.left) + " s left" : ""; },
      get pauseWords() { return this.paused ? "Go on" : "Pause the picture"; },
      get hasTrouble() { return Boolean(this.trouble); },
      get hasMessage() { return Boolean(this.message); },
      begin: function (event) {
        var self = this;
        Gumshoe.post(self.setup.begin, { purpose: event.currentTarget.dataset.purpose }).then(function () { self.message = ""; }, function (error) { self.message = error.message; });
      },
      stop: function () { Gumshoe.post(this.setup.stop); },
      pause: function () { this.paused = !this.paused; }
    };
  });
});
