// What a card on the first page does by itself.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("card", () => ({
    naming: false,
    toggleNaming() {
      this.naming = !this.naming;
      if (this.naming) this.$nextTick(() => this.$root.querySelector(".rename input").select());
    },
  }));
});

// A card under way is swapped each second for its newer self; not while it is given a name, which would be lost.
function unlessNamed(event) {
  if (event.target.matches(".card-shot") && event.target.querySelector(".rename:not([hidden])")) event.preventDefault();
}
document.addEventListener("htmx:beforeRequest", unlessNamed);
document.addEventListener("htmx:beforeSwap", unlessNamed);

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
// Arrow keys go from shot to shot; Enter opens the one that has the focus.
document.addEventListener("keydown", (event) => {
  const by = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key];
  if (event.key === "/" && find && !event.target.closest("input")) { event.preventDefault(); find.focus(); }
  if (!by || event.target.closest("input, select, textarea")) return;
  const links = [...document.querySelectorAll(".card-shot:not([hidden]) a.picture")], at = links.indexOf(document.activeElement);
  event.preventDefault();
  links[at < 0 ? 0 : Math.max(0, Math.min(links.length - 1, at + by))]?.focus();
});
find?.form.addEventListener("submit", (event) => event.preventDefault());
