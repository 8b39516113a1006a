"use strict";
// Adds sorting to every table, and a search to the long ones. Without it the page is complete.
for (const box of document.querySelectorAll(".table")) {
  const table = box.querySelector("table"), body = table.tBodies[0];
  const heads = [...table.tHead.rows[0].cells];
  const order = new Intl.Collator("en", { numeric: true, sensitivity: "base" });
  heads.forEach((head, column) => {
    if (!head.textContent.trim()) return;
    const button = document.createElement("button");
    button.textContent = head.textContent;
    head.replaceChildren(button);
    button.addEventListener("click", () => {
      const down = head.getAttribute("aria-sort") === "ascending" ? -1 : 1;
      heads.forEach((other) => other.removeAttribute("aria-sort"));
      head.setAttribute("aria-sort", down < 0 ? "descending" : "ascending");
      const text = (row) => row.cells[column].textContent.replace(/(?<=\d) (?=\d{3}\b)/g, "");
      body.append(...[...body.rows].sort((a, b) => down * order.compare(text(a), text(b))));
    });
  });
  if (!box.classList.contains("searched")) continue;
  const search = document.createElement("input");
  search.type = "search";
  search.placeholder = `search ${body.rows.length} rows`;
  search.setAttribute("aria-label", "search this table");
  box.before(search);
  search.addEventListener("input", () => {
    const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
    for (const row of body.rows) {
      const text = row.textContent.toLowerCase();
      row.hidden = !words.every((word) => text.includes(word));
    }
  });
}
addEventListener("beforeprint", () => {
  for (const each of document.querySelectorAll("details")) each.open = true;
});
