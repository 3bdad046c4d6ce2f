"use strict";
// Filters, and following one port. Without this script the page shows everything.
(() => {
  const form = document.getElementById("filters");
  const count = document.getElementById("count");
  const chosen = document.getElementById("port");
  const sections = [...document.querySelectorAll(".switch")].map((section) => ({
    section,
    name: section.dataset.switch.toLowerCase(),
    row: null,
    told: [...section.querySelectorAll("article")].map((node) => ({
      node,
      level: node.dataset.level,
      family: node.dataset.family,
      role: node.dataset.role,
      ports: null,
      text: null,
    })),
    others: [...section.querySelectorAll(".open, .quiet")],
  }));
  const rows = new Map([...document.querySelectorAll(".overview tr[data-switch]")].map((row) => [row.dataset.switch, row]));
  sections.forEach((each) => { each.row = rows.get(each.section.dataset.switch) || null; });
  let port = null; // { section, name }

  const textOf = (each) => (each.text ??= each.node.textContent.toLowerCase());
  const portsOf = (each) => (each.ports ??= new Set([...each.node.querySelectorAll("h3 .chip")].map((chip) => chip.textContent)));

  function apply() {
    const levels = new Set([...form.querySelectorAll("[name=level]:checked")].map((box) => box.value));
    const family = form.elements.family.value;
    const role = form.elements.role.value;
    const name = form.elements.switch.value.trim().toLowerCase();
    const text = form.elements.text.value.trim().toLowerCase();
    const all = form.querySelectorAll("[name=level]").length;
    const narrowed = family !== "" || role !== "" || text !== "" || levels.size < all || port !== null;
    let shown = 0, total = 0, switches = 0;
    for (const each of sections) {
      const here = (name === "" || each.name.includes(name)) && (port === null || port.section === each.section);
      let some = 0;
      for (const told of each.told) {
        const fits = here && levels.has(told.level) && (family === "" || told.family === family)
          && (role === "" || told.role === role) && (text === "" || textOf(told).includes(text))
          && (port === null || portsOf(told).has(port.name));
        told.node.hidden = !fits;
        total += 1;
        some += fits ? 1 : 0;
      }
      for (const other of each.others) {
        const level = other.dataset.level;
        const about = port !== null && [...other.querySelectorAll(".chip")].some((chip) => chip.textContent === port.name);
        const open = level === "undetermined" && levels.has("undetermined") && family === "" && role === ""
          && (text === "" || other.textContent.toLowerCase().includes(text));
        other.hidden = !(here && (port === null ? (level === "clean" ? !narrowed : open) : about || (open && other.matches(".open"))));
        some += !other.hidden && narrowed ? 1 : 0;
      }
      const visible = here && (some > 0 || !narrowed);
      each.section.hidden = !visible;
      if (each.row) each.row.hidden = name !== "" && !each.name.includes(name);
      shown += each.told.filter((told) => !told.node.hidden).length;
      switches += visible ? 1 : 0;
    }
    count.value = `${shown} of ${total} entries, ${switches} of ${sections.length} sections`;
  }

  function follow() {
    document.querySelectorAll(".now").forEach((node) => node.classList.remove("now"));
    const target = location.hash.length > 1 ? document.getElementById(decodeURIComponent(location.hash.slice(1))) : null;
    const section = target && target.closest(".switch");
    port = null;
    if (section && target.classList.contains("chip")) {
      port = { section, name: target.textContent };
      const link = section.querySelector(`.panel a[href="#${target.id}"]`);
      if (link) link.classList.add("now");
      section.querySelectorAll(".chip").forEach((chip) => chip.classList.toggle("now", chip.textContent === port.name));
      chosen.textContent = `only ${section.dataset.switch} ${port.name} ✕`;
    }
    chosen.hidden = port === null;
    apply();
    // After the browser has gone to the port's first finding: its panel is to be seen too.
    if (section) requestAnimationFrame(() => section.scrollIntoView());
  }

  let waiting = 0;
  form.addEventListener("input", () => { clearTimeout(waiting); waiting = setTimeout(apply, 120); });
  form.addEventListener("submit", (event) => event.preventDefault());
  form.addEventListener("reset", () => { setTimeout(() => { if (port) location.hash = "#findings"; else apply(); }, 0); });
  chosen.addEventListener("click", () => { location.hash = `#${port.section.id}`; });
  document.querySelectorAll(".only").forEach((button) => button.addEventListener("click", () => {
    form.elements.text.value = button.dataset.text;
    apply();
    document.getElementById("findings").scrollIntoView();
  }));
  window.addEventListener("hashchange", follow);
  window.addEventListener("load", follow);
  form.hidden = false;
  apply();
})();
