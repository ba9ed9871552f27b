// The notebook: which rows are unfolded, and what every edit sends along.

export function watchNotebook(root, { frameNow, edited }) {
  const unfolded = () => document.getElementById("unfolded");

  function setOpen(row, open) {
    const ids = new Set(unfolded().value.split(" ").filter(Boolean));
    if (open) ids.add(row); else ids.delete(row);
    unfolded().value = [...ids].join(" ");
    const line = document.getElementById(`row-${row}`);
    if (!line) return;
    line.classList.toggle("open", open);
    line.querySelector(".dials").hidden = !open;
    const fold = line.querySelector(".fold");
    fold.textContent = open ? "less" : "more";
    fold.setAttribute("aria-expanded", String(open));
  }

  root.addEventListener("click", (event) => {
    const button = event.target.closest("[data-unfold]");
    if (button) {
      const row = button.dataset.unfold;
      setOpen(row, button.classList.contains("driven") || !document.getElementById(`row-${row}`).classList.contains("open"));
    }
  });
  root.addEventListener("focusin", (event) => { if (event.target.matches("input.slot")) event.target.select(); });
  root.addEventListener("keydown", (event) => {
    if (!event.target.matches("input.slot")) return;
    if (event.key === "Enter") event.target.blur();
    if (event.key === "Escape") { event.target.value = event.target.defaultValue; event.target.blur(); }
  });
  // Whatever drops down closes when something else is pressed.
  document.addEventListener("click", (event) => {
    for (const open of document.querySelectorAll("details[open]")) if (!open.contains(event.target)) open.open = false;
  });
  document.body.addEventListener("htmx:configRequest", (event) => {
    if (event.detail.elt.hasAttribute("data-with-frame")) event.detail.parameters.frame = frameNow();
  });
  // What an edit has changed comes with the notebook that it brings.
  document.body.addEventListener("htmx:afterSwap", (event) => {
    const news = event.detail.target === root && root.querySelector("#news");
    if (!news) return;  // the event comes once for each part that was swapped in
    news.remove();
    edited(JSON.parse(news.textContent));
  });

  return {
    show(row) {
      for (const line of root.querySelectorAll(".row-line.shown")) line.classList.remove("shown");
      const line = document.getElementById(`row-${row}`);
      if (!line) return;
      line.classList.add("shown");
      line.scrollIntoView({ block: "center", behavior: "smooth" });
    },
  };
}
