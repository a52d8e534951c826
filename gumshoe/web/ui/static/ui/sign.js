// A field to sign in: strokes in the field's own units, whatever its size on the screen.
(function() {
  "use strict";

  function start(form) {
    var canvas = form.querySelector("canvas"),
      pen = canvas.getContext("2d"),
      field = form.querySelector("[name=strokes]"),
      strokes = [],
      down = false;

    function ready() {
      pen.clearRect(0, 0, canvas.width, canvas.height);
      pen.lineWidth = 5;
      pen.lineCap = pen.lineJoin = "round";
      pen.strokeStyle = getComputedStyle(canvas).color;
    }

    function point(event) {
      var box = canvas.getBoundingClientRect();
      var x = Math.round((event.clientX - box.left) * canvas.width / box.width),
        y = Math.round((event.clientY - box.top) * canvas.height / box.height);
      return [Math.min(Math.max(x, 0), canvas.width), Math.min(Math.max(y, 0), canvas.height)];
    }

    canvas.addEventListener("pointerdown", function(event) {
      down = true;
      canvas.setPointerCapture(event.pointerId);
      strokes.push([point(event)]);
      pen.beginPath();
      pen.moveTo.apply(pen, strokes[strokes.length - 1][0]);
      event.preventDefault();
    });
    canvas.addEventListener("pointermove", function(event) {
      if (!down) return;
      var stroke = strokes[strokes.length - 1],
        last = stroke[stroke.length - 1],
        here = point(event);
      if (Math.abs(here[0] - last[0]) + Math.abs(here[1] - last[1]) < 3) return;
      stroke.push(here);
      pen.lineTo.apply(pen, here);
      pen.stroke();
    });
    ["pointerup", "pointercancel"].forEach(function(name) {
      canvas.addEventListener(name, function() {
        down = false;
        field.value = JSON.stringify(strokes);
      });
    });
    form.querySelector("[data-clear]").addEventListener("click", function() {
      strokes = [];
      field.value = "";
      ready();
    });
    form.addEventListener("submit", function(event) {
      var missing = form.querySelector("[data-unsigned]");
      missing.hidden = strokes.length > 0;
      if (strokes.length) return;
      event.preventDefault();
      canvas.focus();
    });
    ready();
  }

  document.addEventListener("DOMContentLoaded", function() {
    document.querySelectorAll("form[data-sign]").forEach(start);
  });
})();
