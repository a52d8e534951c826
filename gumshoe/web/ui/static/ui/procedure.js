// An after-work procedure: starts it, shows how far it is, and how it ended. The server decides.
document.addEventListener("alpine:init", function() {
  Alpine.data("procedure", function() {
    return Gumshoe.merge(Gumshoe.watched("procedure-setup"), {
      draw: function(state) {
        this.state = state;
        var bar = this.$root.querySelector("[data-progress]");
        if (bar) bar.style.setProperty("width", Math.round((state.share || 0) * 100) + "%");
      }
    });
  });
});
