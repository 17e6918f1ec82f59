"use strict";
(() => {
const all = (what, where = document) => [...where.querySelectorAll(what)];
const iso = day => new Date(day * 864e5).toISOString().slice(0, 10);
const dayOf = text => Math.round(Date.parse(text + "T00:00:00Z") / 864e5);

// Tables: sorted by a column's full values, rows filtered by what they say.
for (const table of all("main table:not(.plain)")) {
  const body = table.tBodies[0];
  const key = (row, i) => {
    const cell = row.cells[i];
    return cell.dataset.v !== undefined ? (cell.dataset.v === "" ? NaN : Number(cell.dataset.v)) : cell.textContent;
  };
  [...table.tHead.rows[0].cells].forEach((head, i) => {
    const button = document.createElement("button");
    button.type = "button";
    button.append(...head.childNodes);
    head.append(button);
    button.addEventListener("click", () => {
      const up = head.getAttribute("aria-sort") === "descending";
      for (const other of table.tHead.rows[0].cells) other.removeAttribute("aria-sort");
      head.setAttribute("aria-sort", up ? "ascending" : "descending");
      const rows = [...body.rows].map(row => [key(row, i), row]);
      rows.sort(([a], [b]) => {
        const missing = [a, b].map(v => typeof v === "number" && isNaN(v));
        if (missing[0] || missing[1]) return missing[0] - missing[1];
        const order = typeof a === "number" && typeof b === "number" ? a - b : String(a).localeCompare(String(b));
        return up ? order : -order;
      });
      body.append(...rows.map(([, row]) => row));
    });
  });
  if (body.rows.length > 8) {
    const label = document.createElement("label");
    label.className = "filter";
    label.textContent = "Only rows with ";
    const input = document.createElement("input");
    input.type = "search";
    label.append(input);
    table.parentElement.before(label);
    input.addEventListener("input", () => {
      const asked = input.value.toLowerCase();
      for (const row of body.rows) row.hidden = !row.textContent.toLowerCase().includes(asked);
    });
  }
}

// A link into what is folded away unfolds it.
const unfold = () => {
  const at = location.hash.length > 1 && document.getElementById(decodeURIComponent(location.hash.slice(1)));
  if (!at) return;
  for (let up = at; up; up = up.parentElement) if (up.tagName === "DETAILS") up.open = true;
  at.scrollIntoView();
};
addEventListener("hashchange", unfold);
unfold();
let folded = [];
addEventListener("beforeprint", () => {
  folded = all("details.more:not([open])");
  for (const one of folded) one.open = true;
});
addEventListener("afterprint", () => { for (const one of folded) one.open = false; });

const tools = document.querySelector(".tools");
if (!tools) return;
tools.hidden = false;
tools.addEventListener("submit", event => event.preventDefault());

// A security is picked out in all figures and tables.
document.getElementById("pick").addEventListener("change", event => {
  const name = event.target.value;
  document.body.classList.toggle("picking", name !== "");
  for (const one of all("[data-s]")) one.classList.toggle("picked", one.dataset.s === name);
});

// Figures whose x is time.
const svgNS = "http://www.w3.org/2000/svg";
const inside = (panel, x, y) => x >= panel.at[0] && x <= panel.at[0] + panel.at[2] &&
  y >= panel.at[1] && y <= panel.at[1] + panel.at[3];
const pairsOf = one => one.getAttribute("points").trim().split(/\s+/).map(p => p.split(",").map(Number));
const boxOf = one => {
  const number = name => Number(one.getAttribute(name));
  let xy;
  switch (one.tagName) {
    case "polyline": case "polygon": xy = pairsOf(one); break;
    case "rect": xy = [[number("x"), number("y")], [number("x") + number("width"), number("y") + number("height")]]; break;
    case "circle": xy = [[number("cx"), number("cy")]]; break;
    case "line": xy = [[number("x1"), number("y1")], [number("x2"), number("y2")]]; break;
    case "text": {
      const turned = /translate\(([-0-9.]+)[, ]+([-0-9.]+)\)/.exec(one.getAttribute("transform") || "");
      xy = turned ? [[Number(turned[1]), Number(turned[2])]] : [[number("x"), number("y")]];
      break;
    }
    default: xy = (one.getAttribute("d") || "").match(/[-0-9.]+[, ]+[-0-9.]+/g)?.map(p => p.split(/[, ]+/).map(Number));
  }
  if (!xy || !xy.length) return null;
  const x = xy.map(p => p[0]), y = xy.map(p => p[1]);
  const least = v => v.reduce((a, b) => Math.min(a, b)), most = v => v.reduce((a, b) => Math.max(a, b));
  return [least(x), least(y), most(x), most(y)];
};
const figures = all("figure[data-panels]").map(node => {
  const svg = node.querySelector("svg");
  const panels = JSON.parse(node.dataset.panels);
  const leaves = all("polyline, polygon, rect, circle, line, path, text", svg).filter(one => !one.closest("defs"))
    .map(one => ({ one, box: boxOf(one) })).filter(leaf => leaf.box);
  panels.forEach((panel, k) => {
    const [left, top, width, height] = panel.at;
    const within = ({ box }) => {
      const x = (box[0] + box[2]) / 2, y = (box[1] + box[3]) / 2;
      return x > left - 1 && x < left + width + 1 && y > top - 1 && y < top + height + 1 && box[2] - box[0] < width + 2;
    };
    panel.parts = leaves.filter(within).map(leaf => leaf.one);
    // What stands beside the panel at the height of its lines says where they end.
    panel.ends = leaves.filter(({ one, box }) => one.tagName === "text" && box[0] > left + width &&
      box[1] > top && box[1] < top + height).map(leaf => leaf.one);
    const clip = document.createElementNS(svgNS, "clipPath");
    clip.id = `${node.id}-panel-${k}`;
    const area = document.createElementNS(svgNS, "rect");
    ["x", "y", "width", "height"].forEach((name, i) => area.setAttribute(name, panel.at[i]));
    clip.append(area);
    svg.append(clip);
    panel.group = document.createElementNS(svgNS, "g");
    if (panel.parts.length) panel.parts[0].before(panel.group);
    panel.group.append(...panel.parts);
    panel.lines = panel.parts.filter(one => one.tagName === "polyline").map(one => ({
      name: one.dataset.s || "", colour: one.style.stroke, node: one, points: pairsOf(one)
    })).filter(line => line.points.length > 12 && line.colour && line.colour !== "none");
    panel.upright = panel.parts.filter(one => one.tagName === "polyline" && /--line/.test(one.getAttribute("style")))
      .filter(one => { const p = pairsOf(one); return p.length === 2 && p[0][0] === p[1][0]; });
    panel.range = panel.x;
  });
  const low = Math.max(...panels.map(panel => panel.at[1] + panel.at[3]));
  const ticks = all("text", svg).filter(text => /^\d{4}(-\d\d){0,2}$/.test(text.textContent.trim()) && Number(text.getAttribute("y")) > low - 1);
  const cursor = document.createElementNS(svgNS, "line");
  cursor.setAttribute("style", "stroke: var(--quiet); stroke-width: 0.7; stroke-dasharray: 2 2;");
  cursor.setAttribute("visibility", "hidden");
  svg.append(cursor);
  return { node, svg, panels, ticks, cursor, own: [] };
});

const whole = figures.length ? [Math.min(...figures.flatMap(f => f.panels.map(p => p.x[0]))), Math.max(...figures.flatMap(f => f.panels.map(p => p.x[1])))] : [0, 1];
const niceDays = (from, to) => {
  const months = (to - from) / 30.4;
  const step = [1, 2, 3, 6, 12, 24, 60].find(m => months / m <= 8) || 120;
  const first = new Date(from * 864e5);
  const found = [];
  let month = Math.ceil((first.getUTCFullYear() * 12 + first.getUTCMonth() + 0.01) / step) * step;
  for (; ; month += step) {
    const day = Date.UTC(Math.floor(month / 12), month % 12, 1) / 864e5;
    if (day > to) break;
    found.push(day);
  }
  return found;
};

const zoom = (from, to) => {
  const all_of_it = from <= whole[0] && to >= whole[1];
  for (const figure of figures) {
    for (const one of figure.own) one.remove();
    figure.own = [];
    for (const panel of figure.panels) {
      panel.range = all_of_it ? panel.x : [from, to];
      const [left, , width] = panel.at;
      const scale = (panel.x[1] - panel.x[0]) / (panel.range[1] - panel.range[0]);
      const shift = left - scale * left + width * (panel.x[0] - panel.range[0]) / (panel.range[1] - panel.range[0]);
      if (all_of_it) panel.group.removeAttribute("clip-path");
      else panel.group.setAttribute("clip-path", `url(#${figure.node.id}-panel-${figure.panels.indexOf(panel)})`);
      for (const one of panel.ends) one.setAttribute("visibility", panel.range[1] >= last ? "visible" : "hidden");
      for (const one of panel.parts) {
        if (scale === 1 && shift === 0) {
          one.removeAttribute("transform");
          if (one.dataset.at) one.setAttribute("transform", one.dataset.at);
        } else if (one.tagName === "text" || one.tagName === "circle") {
          const x = Number(one.getAttribute(one.tagName === "text" ? "x" : "cx"));
          if (one.dataset.at === undefined) one.dataset.at = one.getAttribute("transform") || "";
          one.setAttribute("transform", `translate(${(scale - 1) * x + shift} 0) ${one.dataset.at}`);
        } else {
          // What goes across the panel stays: grid lines, limits.
          const p = one.tagName === "polyline" ? pairsOf(one) : [];
          if (p.length === 2 && p[0][1] === p[1][1] && Math.abs(p[1][0] - p[0][0] - width) < 1) continue;
          one.setAttribute("vector-effect", "non-scaling-stroke");
          one.setAttribute("transform", `matrix(${scale} 0 0 1 ${shift} 0)`);
        }
      }
      for (const one of panel.upright) one.setAttribute("visibility", all_of_it ? "visible" : "hidden");
    }
    for (const text of figure.ticks) text.setAttribute("visibility", all_of_it ? "visible" : "hidden");
    if (all_of_it || !figure.ticks.length) continue;
    const low = Math.max(...figure.panels.map(panel => panel.at[1] + panel.at[3]));
    for (const panel of figure.panels) {
      if (panel.at[1] + panel.at[3] < low - 1) continue;
      for (const day of niceDays(from, to)) {
        const text = figure.ticks[0].cloneNode(false);
        text.removeAttribute("textLength");
        text.removeAttribute("lengthAdjust");
        text.setAttribute("visibility", "visible");
        text.setAttribute("text-anchor", "middle");
        text.setAttribute("x", panel.at[0] + panel.at[2] * (day - from) / (to - from));
        text.textContent = iso(day).slice(0, 7);
        figure.svg.append(text);
        figure.own.push(text);
      }
    }
  }
  document.getElementById("from").value = all_of_it ? "" : iso(Math.ceil(from));
  document.getElementById("to").value = all_of_it ? "" : iso(Math.floor(to));
};

const last = figures.length ? Math.max(...figures.flatMap(f => f.panels.flatMap(p => p.lines.map(line =>
  p.x[0] + (p.x[1] - p.x[0]) * (line.points[line.points.length - 1][0] - p.at[0]) / p.at[2])))) : 0;
for (const button of all("button[data-last]", tools)) {
  button.addEventListener("click", () => {
    const years = Number(button.dataset.last);
    if (years) zoom(last - 365.25 * years, last + 4 * years); else zoom(...whole);
  });
}
for (const id of ["from", "to"]) {
  document.getElementById(id).addEventListener("change", () => {
    const from = document.getElementById("from").value, to = document.getElementById("to").value;
    const a = from ? dayOf(from) : whole[0], b = to ? dayOf(to) : whole[1];
    if (b > a) zoom(a, b);
  });
}

// What stands at a place of a panel.
const tip = document.getElementById("tip");
const written = (panel, y) => {
  let value = panel.y[1] - (panel.y[1] - panel.y[0]) * (y - panel.at[1]) / panel.at[3];
  if (panel.log) value = 10 ** value;
  value *= panel.times;
  const digits = Math.max(0, Math.min(4, 3 - Math.floor(Math.log10(Math.abs(panel.times * (panel.y[1] - panel.y[0])) || 1))));
  return value.toLocaleString("en", { maximumFractionDigits: digits, minimumFractionDigits: Math.min(digits, 1) }) + panel.unit;
};
const tell = (figure, panel, day, place) => {
  const at = panel.at[0] + panel.at[2] * (day - panel.x[0]) / (panel.x[1] - panel.x[0]);
  const found = panel.lines.map(line => {
    let best = line.points[0];
    for (const point of line.points) if (Math.abs(point[0] - at) < Math.abs(best[0] - at)) best = point;
    return { line, point: best };
  }).filter(one => Math.abs(one.point[0] - at) < panel.at[2] / 60);
  if (!found.length) { tip.hidden = true; return null; }
  const near = found.reduce((a, b) => Math.abs(a.point[0] - at) <= Math.abs(b.point[0] - at) ? a : b);
  const exact = Math.round(panel.x[0] + (panel.x[1] - panel.x[0]) * (near.point[0] - panel.at[0]) / panel.at[2]);
  tip.textContent = "";
  const head = document.createElement("strong");
  head.textContent = iso(exact);
  tip.append(head);
  for (const { line, point } of found.slice(0, 8)) {
    const row = document.createElement("div");
    const dot = document.createElement("i");
    dot.style.background = line.colour;
    row.append(dot, `${line.name} ${panel.names ? "" : written(panel, point[1])}`);
    tip.append(row);
  }
  tip.hidden = false;
  tip.style.left = Math.min(place[0] + 14, innerWidth - 220) + "px";
  tip.style.top = Math.min(place[1] + 14, innerHeight - tip.offsetHeight - 8) + "px";
  const shown = panel.at[0] + panel.at[2] * (exact - panel.range[0]) / (panel.range[1] - panel.range[0]);
  for (const [name, v] of [["x1", shown], ["x2", shown], ["y1", panel.at[1]], ["y2", panel.at[1] + panel.at[3]]]) figure.cursor.setAttribute(name, v);
  figure.cursor.setAttribute("visibility", "visible");
  return exact;
};
const hide = figure => { tip.hidden = true; figure.cursor.setAttribute("visibility", "hidden"); };

for (const figure of figures) {
  const place = event => {
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(figure.svg.getScreenCTM().inverse());
    const panel = figure.panels.find(p => inside(p, point.x, point.y));
    const day = panel && panel.range[0] + (panel.range[1] - panel.range[0]) * (point.x - panel.at[0]) / panel.at[2];
    return { panel, day };
  };
  let start = null;
  figure.node.addEventListener("pointerdown", event => { start = event.pointerType === "mouse" ? place(event) : null; });
  figure.node.addEventListener("pointerup", event => {
    const end = place(event);
    if (start && start.panel && end.panel && Math.abs(end.day - start.day) > (end.panel.range[1] - end.panel.range[0]) / 40) {
      zoom(Math.min(start.day, end.day), Math.max(start.day, end.day));
    }
    start = null;
  });
  figure.node.addEventListener("dblclick", () => zoom(...whole));
  figure.node.addEventListener("pointermove", event => {
    const { panel, day } = place(event);
    if (panel) { figure.at = { panel, day: tell(figure, panel, day, [event.clientX, event.clientY]) }; } else hide(figure);
  });
  figure.node.addEventListener("pointerleave", () => hide(figure));
  figure.node.addEventListener("blur", () => hide(figure));
  figure.node.addEventListener("keydown", event => {
    const panel = figure.at ? figure.at.panel : figure.panels[0];
    const span = panel.range[1] - panel.range[0];
    const step = { ArrowLeft: -span / 60, ArrowRight: span / 60 }[event.key];
    if (event.key === "Escape") return zoom(...whole);
    if (!step) return;
    event.preventDefault();
    const day = Math.min(Math.max((figure.at && figure.at.day || panel.range[1]) + step, panel.range[0]), panel.range[1]);
    const box = figure.node.getBoundingClientRect();
    figure.at = { panel, day: tell(figure, panel, day, [box.left + box.width / 3, box.top + 20]) || day };
  });
}
})();
