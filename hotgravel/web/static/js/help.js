// The list of keyboard shortcuts.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("help", () => ({
    shown: false,
    toggle() { this.shown = !this.shown; },
    init() {
      document.addEventListener("hotgravel:help", (event) => {
        this.shown = event.detail === "close" ? false : !this.shown;
      });
    },
  }));
});
