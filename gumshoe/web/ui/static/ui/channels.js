// Choosing what is looked at: presets tick boxes, the search hides what does not fit, stars are kept at once.
document.addEventListener("alpine:init", function() {
  Alpine.data("channels", function() {
    return {
      count: 0,
      message: "",
      init: function() {
        this.counted();
      },
      boxes: function() {
        return Array.from(this.$root.querySelectorAll('input[name="strip"]'));
      },
      counted: function() {
        this.count = this.boxes().filter(function(box) {
          return box.checked;
        }).length;
      },
      get hasMessage() {
        return Boolean(this.message);
      },
      preset: function(event) {
        var wanted = event.currentTarget.dataset.strips.split(" ");
        this.boxes().forEach(function(box) {
          box.checked = wanted.indexOf(box.value) >= 0;
        });
        this.counted();
      },
      search: function(event) {
        var words = event.currentTarget.value.toLowerCase().split(/\s+/).filter(Boolean);
        this.$root.querySelectorAll("[data-names]").forEach(function(row) {
          row.hidden = !words.every(function(word) {
            return row.dataset.names.toLowerCase().indexOf(word) >= 0;
          });
        });
        this.$root.querySelectorAll("[data-group]").forEach(function(group) {
          group.hidden = !group.querySelector("[data-names]:not([hidden])");
        });
      },
      star: function(event) {
        var self = this,
          button = event.currentTarget;
        Gumshoe.post(self.$root.dataset.favourite, {
          strip: button.dataset.strip
        }).then(function(answer) {
          button.setAttribute("aria-pressed", String(answer.favourite));
          button.textContent = answer.favourite ? "★" : "☆";
        }, function(error) {
          self.message = error.message;
        });
      }
    };
  });
});
