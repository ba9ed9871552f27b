// What a card on the first page does by itself.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("card", () => ({
    naming: false,
    toggleNaming() { this.naming = !this.naming; },
  }));
});
