// Strip charts on one time axis: drawing, panning, zooming, pointing. What is drawn was computed in Python.
(function() {
  "use strict";
  var DASHES = [
    [],
    [7, 4],
    [2, 3],
    [10, 3, 2, 3],
    [1, 2],
    [14, 4],
    [5, 2, 1, 2],
    [3, 6]
  ];
  var LEAST_SPAN = 0.5;

  // An axis as quiet as all of them: thin grid, no ticks.
  function axis(size, font, more) {
    return Object.assign({
      size: size,
      font: "11px " + font,
      stroke: css("--ink-soft"),
      grid: {
        stroke: css("--rule"),
        width: 1
      },
      ticks: {
        show: false
      }
    }, more);
  }

  function css(name) {
    return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  }

  // Samples of one channel: rising times and values in typed arrays that grow.
  function Column() {
    this.t = new Float64Array(1024);
    this.v = new Float32Array(1024);
    this.n = 0;
  }
  Column.prototype.push = function(time, value) {
    if (this.n && time <= this.t[this.n - 1]) return;
    if (this.n === this.t.length) {
      var t = new Float64Array(2 * this.n),
        v = new Float32Array(2 * this.n);
      t.set(this.t);
      v.set(this.v);
      this.t = t;
      this.v = v;
    }
    this.t[this.n] = time;
    this.v[this.n] = value;
    this.n += 1;
  };
  Column.prototype.fill = function(t, v, origin) {
    this.n = t.length;
    this.t = new Float64Array(Math.max(1024, t.length));
    this.v = new Float32Array(Math.max(1024, t.length));
    for (var i = 0; i < t.length; i += 1) this.t[i] = origin + t[i];
    this.v.set(v);
  };
  // How long nothing may come before the line breaks: five usual steps, two and a half seconds at least.
  Column.prototype.patience = function() {
    var steps = [],
      from = Math.max(this.n - 64, 1);
    for (var i = from; i < this.n; i += 1) steps.push(this.t[i] - this.t[i - 1]);
    steps.sort(function(a, b) {
      return a - b;
    });
    return Math.max(2.5, 5 * (steps[steps.length >> 1] || 0));
  };
  // Place of the first sample at or after a moment.
  Column.prototype.place = function(time) {
    var low = 0,
      high = this.n;
    while (low < high) {
      var middle = (low + high) >> 1;
      if (this.t[middle] < time) low = middle + 1;
      else high = middle;
    }
    return low;
  };
  Column.prototype.at = function(time) {
    var i = this.place(time + 1e-9) - 1;
    return i >= 0 && time - this.t[i] < 30 ? this.v[i] : undefined;
  };

  function digits(value, fine) {
    if (value === undefined || value === null) return "–";
    return value.toFixed(Math.abs(value) >= 100 || fine >= 1 ? 0 : (fine >= 0.1 || Math.abs(value) >= 10 ? 1 : 2));
  }

  function Strips(root, strips, options) {
    var self = this;
    self.root = root;
    self.strips = strips;
    self.options = options || {};
    self.columns = {};
    self.bands = {};
    self.disturbed = {};
    self.marks = [];
    self.selection = null;
    self.cursor = null;
    self.x0 = 0;
    self.x1 = 60;
    self.span = 60;
    self.follow = Boolean(self.options.live);
    self.selecting = false;
    self.colours = ["--trace", "--trace-2", "--trace-3", "--trace-4", "--trace-5", "--trace-6", "--trace-7",
      "--trace-8"
    ].map(css);
    strips.forEach(function(strip) {
      strip.series.forEach(function(item) {
        if (!self.columns[item.key]) self.columns[item.key] = new Column();
      });
    });
    self.charts = strips.map(function(strip) {
      return self.chart(strip);
    });
    self.frame = 0;
    self.frames = 0;
    window.addEventListener("resize", function() {
      self.resize();
    });
    window.addEventListener("scroll", function() {
      self.redraw();
    }, {
      passive: true
    });
    self.keys();
  }

  Strips.prototype.height = function() {
    return this.strips.length > 12 ? 58 : 92;
  };

  Strips.prototype.chart = function(strip) {
    var self = this,
      holder = self.root.querySelector('[data-plot="' + CSS.escape(strip.id) + '"]');
    var series = [{}].concat(strip.series.map(function(item, number) {
      return {
        stroke: self.colours[number % 8],
        dash: DASHES[number % 8],
        width: 1.6,
        points: {
          show: false
        },
        spanGaps: false,
        gaps: function(u, which) {
          return self.gapsOf(u, strip.series[which - 1].key);
        }
      };
    }));
    var made = new uPlot({
      width: holder.clientWidth || 360,
      height: self.height(),
      legend: {
        show: false
      },
      pxAlign: 0,
      cursor: {
        sync: {
          key: "strips",
          setSeries: false
        },
        drag: {
          x: false,
          y: false
        },
        points: {
          show: false
        }
      },
      padding: [4, 12, 0, 0],
      scales: {
        x: {
          time: false,
          auto: false
        },
        y: {
          auto: false
        }
      },
      axes: [axis(18, "Atkinson", {
        show: true,
        splits: function(u, axis, low, high) {
          return self.ticks(low, high, u.over.clientWidth);
        },
        values: function(u, ticks) {
          return ticks.map(function(tick) {
            return self.clock(tick);
          });
        }
      }), axis(46, "Spline Sans Mono", {})],
      series: series,
      hooks: {
        drawClear: [function(u) {
          self.behind(u, strip);
        }],
        draw: [function(u) {
          self.above(u, strip);
        }],
        setCursor: [function(u) {
          self.pointed(u);
        }]
      }
    }, [
      [0, 1]
    ].concat(strip.series.map(function() {
      return [null, null];
    })), holder);
    self.pointer(made);
    return made;
  };

  // Ticks at round distances from the newest sample (live) or from the begin.
  Strips.prototype.ticks = function(low, high, width) {
    var steps = [0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600],
      most = Math.max(width / 70, 2),
      wide = high - low;
    var step = steps.find(function(one) {
        return wide / one <= most;
      }) || 7200,
      from = this.options.live ? this.newest() : this.begin(),
      found = [];
    for (var n = Math.ceil((low - from) / step); from + n * step <= high; n += 1) found.push(from + n * step);
    return found;
  };

  // Seconds to the newest sample while live, minutes and seconds from the begin of a recording.
  Strips.prototype.clock = function(time) {
    if (this.options.live) {
      var ago = Math.round((time - this.newest()) * 10) / 10;
      return this.x1 - this.x0 > 200 ? Math.round(ago / 6) / 10 + " min" : ago + " s";
    }
    var seconds = time - this.begin(),
      minutes = Math.floor(seconds / 60);
    var rest = seconds - 60 * minutes;
    return minutes + ":" + (rest < 10 ? "0" : "") + (this.x1 - this.x0 < 8 ? rest.toFixed(1) : Math.round(rest));
  };
  Strips.prototype.edge = function(first) {
    var found = null;
    for (var key in this.columns) {
      var column = this.columns[key];
      if (!column.n) continue;
      var time = first ? column.t[0] : column.t[column.n - 1];
      if (found === null || (first ? time < found : time > found)) found = time;
    }
    return found === null ? 0 : found;
  };
  Strips.prototype.begin = function() {
    return this.edge(true);
  };
  Strips.prototype.newest = function() {
    return this.edge(false);
  };

  Strips.prototype.behind = function(u, strip) {
    var ctx = u.ctx,
      box = u.bbox,
      self = this;
    ctx.save();
    ctx.beginPath();
    ctx.rect(box.left, box.top, box.width, box.height);
    ctx.clip();
    ctx.fillStyle = css("--band");
    (self.bands[strip.series[0].key] || []).forEach(function(band) {
      if (band[1] < self.x0 || band[0] > self.x1) return;
      var left = u.valToPos(band[0], "x", true),
        right = u.valToPos(band[1], "x", true);
      var top = u.valToPos(band[3], "y", true),
        bottom = u.valToPos(band[2], "y", true);
      ctx.fillRect(left, top, right - left, bottom - top);
    });
    if (self.selection) {
      ctx.fillStyle = css("--chosen");
      var a = u.valToPos(self.selection[0], "x", true),
        b = u.valToPos(self.selection[1], "x", true);
      ctx.fillRect(a, box.top, b - a, box.height);
    }
    ctx.restore();
  };

  Strips.prototype.above = function(u, strip) {
    var ctx = u.ctx,
      box = u.bbox,
      self = this,
      size = 5 * devicePixelRatio;
    ctx.save();
    ctx.beginPath();
    ctx.rect(box.left, box.top, box.width, box.height);
    ctx.clip();
    strip.series.forEach(function(item) {
      (self.disturbed[item.key] || []).forEach(function(row) {
        if (row.to < self.x0 || row.from > self.x1) return;
        var x = u.valToPos((row.from + row.to) / 2, "x", true);
        if (row.kind === "no data") {
          var left = u.valToPos(row.from, "x", true),
            right = u.valToPos(row.to, "x", true);
          ctx.strokeStyle = css("--ink-soft");
          ctx.setLineDash([2, 3]);
          ctx.strokeRect(left, box.top + 1, Math.max(right - left, 2), box.height - 2);
          ctx.setLineDash([]);
          return;
        }
        var down = row.kind === "drop-out",
          y = down ? box.top + box.height - 2 : box.top + 2,
          way = down ? -1 : 1;
        ctx.fillStyle = css("--bad");
        ctx.beginPath();
        ctx.moveTo(x, y + way * 2 * size);
        ctx.lineTo(x - size, y);
        ctx.lineTo(x + size, y);
        ctx.closePath();
        ctx.fill();
      });
    });
    ctx.setLineDash([]);
    ctx.strokeStyle = css("--accent");
    ctx.lineWidth = 1.5 * devicePixelRatio;
    self.marks.forEach(function(mark) {
      if (mark.at < self.x0 || mark.at > self.x1) return;
      var x = u.valToPos(mark.at, "x", true);
      ctx.beginPath();
      ctx.moveTo(x, box.top);
      ctx.lineTo(x, box.top + box.height);
      ctx.stroke();
    });
    ctx.restore();
  };

  // -- moving about ----------------------------------------------------------------------------------------

  Strips.prototype.pointer = function(u) {
    var self = this,
      over = u.over,
      from = null;

    function moment(event) {
      var box = over.getBoundingClientRect();
      return self.x0 + (self.x1 - self.x0) * (event.clientX - box.left) / box.width;
    }
    over.addEventListener("pointerdown", function(event) {
      from = {
        x: event.clientX,
        x0: self.x0,
        x1: self.x1,
        at: moment(event),
        select: event.shiftKey || self.selecting
      };
      over.setPointerCapture(event.pointerId);
    });
    over.addEventListener("pointermove", function(event) {
      if (!from) return;
      if (from.select) {
        self.select(from.at, moment(event), false);
        return;
      }
      var shift = (from.x - event.clientX) / over.clientWidth * (from.x1 - from.x0);
      if (Math.abs(event.clientX - from.x) > 3) self.show(from.x0 + shift, from.x1 + shift);
    });
    over.addEventListener("pointerup", function(event) {
      if (from && from.select) self.select(from.at, moment(event), true);
      from = null;
    });
    over.addEventListener("wheel", function(event) {
      event.preventDefault();
      self.zoom(event.deltaY > 0 ? 1.25 : 0.8, moment(event));
    }, {
      passive: false
    });
  };

  Strips.prototype.keys = function() {
    var self = this;
    document.addEventListener("keydown", function(event) {
      if (window.Gumshoe.keysOff() || event.ctrlKey || event.metaKey || event.altKey || event.target.matches(
          "input, textarea, select")) return;
      if (event.key !== "[" && event.key !== "]") return;
      self.edgeOfSelection(event.key === "[");
      event.preventDefault();
    });
  };

  Strips.prototype.show = function(x0, x1) {
    var first = this.begin(),
      last = this.newest(),
      span = Math.max(x1 - x0, LEAST_SPAN);
    if (this.options.live) this.follow = x1 >= last - 0.02 * span;
    this.x0 = Math.max(Math.min(x0, last - 0.1 * span), first - 0.9 * span);
    this.x1 = this.x0 + span;
    this.span = span;
    this.redraw();
    if (this.options.moved) this.options.moved(this);
  };
  Strips.prototype.zoom = function(factor, about) {
    var middle = about === undefined ? (this.follow ? this.x1 : (this.x0 + this.x1) / 2) : about;
    this.show(middle - (middle - this.x0) * factor, middle + (this.x1 - middle) * factor);
  };
  Strips.prototype.last = function(seconds) {
    var end = this.newest();
    this.follow = Boolean(this.options.live);
    this.span = seconds;
    this.show(end - seconds, end);
  };
  Strips.prototype.all = function() {
    var first = this.begin(),
      last = this.newest();
    this.show(first, Math.max(last, first + LEAST_SPAN));
  };

  Strips.prototype.select = function(a, b, done) {
    this.selection = a < b ? [a, b] : [b, a];
    this.redraw();
    if (done && this.options.selected) this.options.selected(this.selection);
  };
  Strips.prototype.edgeOfSelection = function(begins) {
    var at = this.cursor === null ? (begins ? this.x0 : this.x1) : this.cursor,
      kept = this.selection || [at, at];
    if (begins) this.select(at, Math.max(kept[1], at), kept[1] > at);
    else this.select(Math.min(kept[0], at), at, kept[0] < at);
  };

  // -- drawing -----------------------------------------------------------------------------------------------

  Strips.prototype.redraw = function() {
    var self = this;
    if (self.frame) return;
    self.frame = requestAnimationFrame(function() {
      self.frame = 0;
      self.draw();
    });
  };
  Strips.prototype.draw = function() {
    var self = this,
      top = 0,
      bottom = window.innerHeight;
    self.frames += 1;
    if (self.follow) {
      self.x1 = self.newest();
      self.x0 = self.x1 - self.span;
    }
    self.charts.forEach(function(chart, number) {
      var box = chart.root.getBoundingClientRect();
      if (box.bottom < top - 200 || box.top > bottom + 200 || !box.width) {
        chart.stale = true;
        return;
      }
      self.one(chart, self.strips[number]);
    });
  };
  // Every pixel column of a chart gets the least and the most of its samples, in the order they came.
  Strips.prototype.one = function(chart, strip) {
    var self = this,
      width = Math.max(chart.over.clientWidth, 10),
      wide = (self.x1 - self.x0) / width,
      low = Infinity,
      high = -Infinity;
    var xs = new Array(2 * width);
    for (var i = 0; i < width; i += 1) {
      xs[2 * i] = self.x0 + (i + 0.25) * wide;
      xs[2 * i + 1] = self.x0 + (i + 0.75) * wide;
    }
    var rows = strip.series.map(function(item) {
      var column = self.columns[item.key],
        row = new Array(2 * width).fill(null);
      var end = Math.min(column.place(self.x1) + 1, column.n),
        place = Math.max(column.place(self.x0) - 1, 0);
      var t = column.t,
        v = column.v,
        last = 2 * width - 1;
      while (place < end) {
        var pixel = Math.min(Math.max(Math.floor((t[place] - self.x0) / wide), 0), width - 1),
          edge = self.x0 + (pixel + 1) * wide;
        var least = v[place],
          most = least,
          leastFirst = true;
        place += 1;
        while (place < end && (t[place] < edge || pixel === width - 1)) {
          var value = v[place];
          if (value < least) {
            least = value;
            leastFirst = false;
          } else if (value > most) {
            most = value;
            leastFirst = true;
          }
          place += 1;
        }
        row[2 * pixel] = leastFirst ? least : most;
        row[2 * pixel + 1] = leastFirst ? most : least;
        if (least < low) low = least;
        if (most > high) high = most;
      }
      if (row[last] === null && column.n) row[last] = null;
      return row;
    });
    (self.bands[strip.series[0].key] || []).forEach(function(band) {
      if (band[1] >= self.x0 && band[0] <= self.x1) {
        low = Math.min(low, band[2]);
        high = Math.max(high, band[3]);
      }
    });
    if (low > high) {
      low = 0;
      high = 1;
    }
    var room = (high - low) * 0.12 || Math.abs(high) * 0.05 || 1;
    chart.batch(function() {
      chart.setData([xs].concat(rows), false);
      chart.setScale("x", {
        min: self.x0,
        max: self.x1
      });
      chart.setScale("y", {
        min: low - room,
        max: high + room
      });
    });
  };
  // Stretches without a sample, in pixels of the canvas: what was not heard is not drawn.
  Strips.prototype.gapsOf = function(u, key) {
    var column = this.columns[key],
      patience = column.patience(),
      found = [];
    var end = Math.min(column.place(this.x1) + 1, column.n),
      i = Math.max(column.place(this.x0), 1);
    for (; i < end; i += 1) {
      if (column.t[i] - column.t[i - 1] <= patience) continue;
      found.push([Math.round(u.valToPos(column.t[i - 1], "x", true)), Math.round(u.valToPos(column.t[i], "x",
        true))]);
    }
    return found;
  };
  Strips.prototype.resize = function() {
    var self = this,
      height = self.height();
    self.charts.forEach(function(chart) {
      var wide = chart.root.parentNode.clientWidth;
      if (wide) chart.setSize({
        width: wide,
        height: height
      });
    });
    self.redraw();
  };
  Strips.prototype.pointed = function(u) {
    if (!u.cursor.event) return;
    var left = u.cursor.left;
    this.cursor = left >= 0 ? this.x0 + (this.x1 - this.x0) * left / u.over.clientWidth : null;
    if (this.options.pointed) this.options.pointed(this.cursor);
  };

  // Figures in the heads: at the cursor, else the newest.
  Strips.prototype.heads = function(now) {
    var self = this;
    self.strips.forEach(function(strip) {
      strip.series.forEach(function(item) {
        var place = self.root.querySelector('[data-value="' + CSS.escape(strip.id + " " + item.key) + '"]');
        if (!place) return;
        var value = self.cursor !== null ? self.columns[item.key].at(self.cursor) : (now ? now[item.key] :
          self.columns[item.key].at(self.newest()));
        place.textContent = digits(value, item.step);
      });
    });
  };

  // Bytes of the server: see recordings.as_bytes.
  Strips.prototype.take = function(buffer) {
    var view = new DataView(buffer),
      length = view.getUint32(0, true);
    var head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length))),
      at = 4 + length,
      self = this;
    head.channels.forEach(function(row) {
      var t = new Float32Array(buffer, at, row[1]),
        v = new Float32Array(buffer, at + 4 * row[1], row[1]);
      at += 8 * row[1];
      if (!self.columns[row[0]]) return;
      self.columns[row[0]].fill(t, v, head.origin);
    });
    return head;
  };

  window.Gumshoe.Strips = Strips;
  window.Gumshoe.bytes = function(url) {
    return fetch(url).then(function(response) {
      if (!response.ok) throw new Error("The samples could not be fetched. Reload the page.");
      return response.arrayBuffer();
    });
  };
})();
