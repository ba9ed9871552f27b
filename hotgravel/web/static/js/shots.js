// What a card on the first page does by itself.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("card", () => ({
    naming: false,
    toggleNaming() { this.naming = !this.naming; },
  }));
});

// Finding and ordering cards; one that is swapped for its newer self keeps its place.
const find = document.getElementById("find"), order = document.getElementById("order");
function arrange() {
  const cards = [...document.querySelectorAll(".card-shot")], wanted = find.value.trim().toLowerCase();
  for (const card of cards) card.hidden = !card.dataset.name.toLowerCase().includes(wanted);
  const by = { name: (a, b) => a.dataset.name.localeCompare(b.dataset.name), changed: (a, b) => b.dataset.changed.localeCompare(a.dataset.changed) };
  cards.sort(by[order.value]).forEach((card) => card.parentElement.append(card));
}
find?.addEventListener("input", arrange);
order?.addEventListener("change", arrange);
find?.form.addEventListener("submit", (event) => event.preventDefault());
