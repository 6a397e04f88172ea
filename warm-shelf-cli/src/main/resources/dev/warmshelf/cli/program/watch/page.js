"use strict";
// What `shelf watch` has seen of a program, as plots that move. Looks come from the address of this page alone.

const NONE = "–";
const QUERIES_DRAWN = 5;
const LONGEST_SECONDS = 1800;
const LEAST_SECONDS = 30;
const TICKS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600];

let looks = []; // {n, at, seconds of it are those since the one before}
let newest = null; // the last look, with all that the program shows
let queries = [];
let paused = false;
let ended = false;
const element = (id) => document.getElementById(id);
const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

// ---- words for numbers

const count = (x) => x == null ? NONE : x > 0 && x < 10 ? x.toFixed(1) : Math.round(x).toLocaleString("en");
const whole = (x) => x == null ? NONE : Math.round(x).toLocaleString("en");
const percent = (x) => x == null ? NONE : (100 * x).toFixed(1) + " %";
function time(nanos) {
  if (nanos == null || nanos <= 0) {
    return NONE;
  }
  const units = [["ns", 1], ["µs", 1e3], ["ms", 1e6], ["s", 1e9]];
  const [unit, size] = units.filter((each) => nanos >= each[1]).pop() || units[0];
  const x = nanos / size;
  return (x < 10 ? x.toFixed(1) : x.toFixed(0)) + " " + unit;
}
/** Of what may be below zero: a shelf that costs more than it gives. */
function saved(nanos) {
  return nanos < 0 ? "-" + time(-nanos) : time(nanos);
}
function bytes(x) {
  if (x == null) {
    return NONE;
  }
  const units = ["B", "KiB", "MiB", "GiB"];
  let i = 0;
  while (x >= 1024 && i < units.length - 1) {
    x /= 1024;
    i++;
  }
  return (x < 10 && i > 0 ? x.toFixed(1) : x.toFixed(0)) + " " + units[i];
}

// ---- what is drawn of two looks, one after the other

/** The shelves of a look that are wanted. */
function wanted(look) {
  const name = element("shelf").value;
  return Object.entries(look.shelves).filter(([shelf]) => name === "" || shelf === name);
}
/** How much more of something than at the look before; null if a look before knew nothing of it. */
function more(now, before, name) {
  let sum = null;
  for (const [shelf, meters] of wanted(now)) {
    const earlier = before.shelves[shelf];
    if (earlier !== undefined && meters[name] >= earlier[name]) {
      sum = (sum || 0) + meters[name] - earlier[name];
    }
  }
  return sum;
}
const rate = (name) => (now, before) => {
  const change = more(now, before, name);
  return change == null ? null : change / now.seconds;
};
const share = (part, of) => (now, before) => {
  const all = more(now, before, of);
  return all ? more(now, before, part) / all : null;
};
const mean = (what) => share(what + "TotalNanos", what + "Count");
const lag = (now) => {
  const known = Object.values(now.feeds).map((feed) => feed.LagNanos).filter((nanos) => nanos < 1e18);
  return known.length ? Math.max(...known) : null;
};

const PLOTS = [
  { id: "lookups", head: "Lookups", shown: (x) => count(x) + "/s", lines: [
    ["hits", rate("Hits")], ["misses", rate("Misses")], ["bypassed", rate("Bypassed")]] },
  { id: "ratio", head: "Hit ratio", shown: percent, range: [0, 1], lines: [
    ["of lookups", share("Hits", "Lookups")]] },
  { id: "latency", head: "Latency, mean of each look", shown: time, log: true, lines: [
    ["hit", mean("Hit")], ["load", mean("Load")], ["bypass", mean("Bypass")]] },
  { id: "invalidations", head: "Invalidations", shown: (x) => count(x) + "/s", lines: [
    ["invalidated", rate("Invalidated")], ["of these needless", rate("Needless")], ["evicted", rate("Evicted")]] },
  { id: "lag", head: "Feed lag", shown: time, log: true, lines: [["changes known up to", lag]] },
  { id: "entries", head: "Entries by query", shown: whole, lines: [] },
];

/** Lines of entries: the queries of which most is kept now. */
function entryLines() {
  const forms = new Map();
  queries.forEach((query) => {
    if (query.entries > 0 && !forms.has(query.form)) {
      forms.set(query.form, query);
    }
  });
  return [...forms.values()].sort((a, b) => b.entries - a.entries).slice(0, QUERIES_DRAWN)
    .map((query) => [query.name || query.form, (now) => now.entries ? now.entries[query.form] || 0 : null]);
}

function draw(plot) {
  const seconds = Number(element("window").value);
  const last = looks.length ? looks[looks.length - 1].at / 1000 : Date.now() / 1000;
  const from = Math.max(1, looks.findIndex((look) => look.at / 1000 >= last - seconds));
  const drawn = looks.slice(from);
  const lines = plot.id === "entries" ? entryLines() : plot.lines;
  const data = [drawn.map((look) => look.at / 1000)];
  lines.forEach(([, of]) => data.push(drawn.map((look, i) => {
    const value = of(look, looks[from + i - 1]);
    return plot.log && !(value > 0) ? null : value;
  })));
  const names = lines.map(([name]) => name).join("\n");
  if (plot.names !== names || !plot.chart) {
    plot.names = names;
    if (plot.chart) {
      plot.chart.destroy();
    }
    plot.chart = chart(plot, lines, data);
  } else {
    plot.chart.setData(data, false);
  }
  plot.data = data;
  plot.lines = lines;
  const first = looks[from] ? looks[from].at / 1000 : last;
  plot.chart.setScale("x", { min: Math.max(last - seconds, Math.min(first, last - LEAST_SECONDS)), max: last });
  if (plot.when != null) {
    queueMicrotask(() => mark(plot)); // once the chart has taken its scale over
  }
  keys(plot);
}

/** The powers of ten in a range, four at most. */
function powers(min, max) {
  const all = [];
  for (let x = Math.ceil(Math.log10(min) - 1e-9); x <= Math.log10(max) + 1e-9; x++) {
    all.push(10 ** x);
  }
  const step = Math.ceil(all.length / 4);
  return all.filter((x, i) => (all.length - 1 - i) % step === 0);
}

const DASHES = [[], [8, 3], [3, 3], [10, 3, 2, 3], [2, 5]];

function chart(plot, lines, data) {
  const box = plot.figure.querySelector(".chart");
  const axis = { stroke: () => colour("--faint"), grid: { stroke: () => colour("--grid"), width: 1 }, ticks: { show: false },
    font: "12px system-ui, sans-serif" };
  const options = {
    width: box.clientWidth, height: 170, legend: { show: false }, padding: [8, 28, 0, 0],
    cursor: { points: { size: 7 }, drag: { x: false, y: false }, y: false },
    scales: { x: { time: true, range: (u, min, max) => [min, max] },
      y: plot.log ? { distr: 3 } : { range: (u, min, max) => plot.range || [0, max > 0 ? max * 1.08 : 1] } },
    axes: [
      { ...axis, incrs: TICKS, values: "{HH}:{mm}:{ss}", space: 74, size: 30 },
      { ...axis, size: 66, space: 28, values: (u, ticks) => ticks.map((x) => x == null ? null : plot.shown(x)),
        ...plot.log && { splits: (u, i, min, max) => powers(min, max) } },
    ],
    series: [{}, ...lines.map(([name], i) => ({ label: name, stroke: () => colour("--line-" + i), width: 1.8,
      dash: DASHES[i], spanGaps: false, points: { show: false } }))],
    hooks: { setCursor: [(u) => {
      if (u.cursor.event) { // of a mouse; keys have marked it already
        plot.when = u.cursor.idx == null ? null : plot.data[0][u.cursor.idx];
        keys(plot);
      }
    }] },
  };
  return new uPlot(options, data, box);
}

/** What a plot's lines are and what they say: at the marked moment, or now. */
function keys(plot) {
  const list = plot.figure.querySelector(".keys");
  const at = markedAt(plot) ?? plot.data[0].length - 1;
  list.replaceChildren(...plot.lines.map(([name], i) => {
    const item = document.createElement("li");
    item.innerHTML = '<svg width="24" height="8" aria-hidden="true"><line x1="0" x2="24" y1="4" y2="4" stroke-width="2"/></svg><span></span><b></b>';
    const line = item.querySelector("line");
    line.setAttribute("stroke", "var(--line-" + i + ")");
    line.setAttribute("stroke-dasharray", DASHES[i].join(" "));
    item.querySelector("span").textContent = name;
    item.querySelector("b").textContent = valueAt(plot, i, at);
    return item;
  }));
  if (plot.lines.length === 0) {
    list.innerHTML = "<li>nothing is kept</li>";
  } else if (plot.when != null) {
    const item = document.createElement("li");
    item.textContent = "at " + moment(plot.when);
    list.append(item);
  }
}
function valueAt(plot, line, at) {
  const value = at < 0 ? null : plot.data[1 + line][at];
  return value == null ? NONE : plot.shown(value);
}

/** The index of the marked moment; null if none is marked, or it has left the plot. */
function markedAt(plot) {
  const at = plot.when == null ? -1 : plot.data[0].indexOf(plot.when);
  if (at < 0) {
    plot.when = null;
  }
  return at < 0 ? null : at;
}

function mark(plot) {
  const at = markedAt(plot);
  plot.chart.setCursor(at == null ? { left: -10, top: -10 } : { left: plot.chart.valToPos(plot.when, "x"), top: 10 }, false);
}

function pressed(plot, event) {
  const last = plot.data[0].length - 1;
  const at = markedAt(plot) ?? last + 1;
  const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: last, Escape: null }[event.key];
  if (to === undefined || last < 0) {
    return;
  }
  event.preventDefault();
  const marked = to == null ? null : Math.max(0, Math.min(last, to));
  plot.when = marked == null ? null : plot.data[0][marked];
  mark(plot);
  keys(plot);
  element("said").textContent = marked == null ? "" : moment(plot.when) + ": "
    + plot.lines.map(([name], i) => name + " " + valueAt(plot, i, marked)).join(", ");
}
const moment = (seconds) => new Date(seconds * 1000).toLocaleTimeString("en-GB");

// ---- tables

function table(id, heads, rows) {
  const cell = (tag, text, words) => {
    const made = document.createElement(tag);
    made.textContent = text;
    made.className = words ? "words" : "";
    return made;
  };
  const line = (cells) => {
    const row = document.createElement("tr");
    row.append(...cells);
    return row;
  };
  const head = document.createElement("thead");
  head.append(line(heads.map(([text, words]) => {
    const made = cell("th", text, words);
    made.scope = "col";
    return made;
  })));
  const body = document.createElement("tbody");
  rows.forEach((texts) => body.append(line(texts.map((text, i) => {
    const made = cell(i === 0 ? "th" : "td", text, heads[i][1]);
    if (i === 0) {
      made.scope = "row";
    }
    return made;
  }))));
  const place = element(id);
  const left = place.parentElement.scrollLeft;
  place.replaceChildren(head, body);
  place.parentElement.scrollLeft = left;
}

function tables() {
  const ratio = (part, all) => all ? percent(part / all) : NONE;
  table("shelves",
    [["shelf", true], ["reads get", true], ["lookups"], ["hits"], ["kept"], ["memory"], ["saved"], ["hit p50"], ["hit p99"], ["load p50"], ["load p99"],
      ["invalidated"], ["needless"], ["wasted"], ["bypassed"], ["audits: late"], ["never"]],
    wanted(newest).map(([name, s]) => {
      const audited = s.AuditsAgreed + s.AuditsLate + s.AuditsNever;
      return [name, s.Gives, whole(s.Lookups), ratio(s.Hits, s.Lookups), whole(s.Entries), bytes(s.Bytes), saved(s.TimeSavedNanos), time(s.HitP50Nanos),
        time(s.HitP99Nanos), time(s.LoadP50Nanos), time(s.LoadP99Nanos), whole(s.Invalidated), ratio(s.Needless, s.Invalidated),
        ratio(s.Wasted, s.Fills), whole(s.Bypassed), audited ? whole(s.AuditsLate) : NONE, audited ? whole(s.AuditsNever) : NONE];
    }));
  element("remarks").replaceChildren(...newest.remarks.map((line) => {
    const made = document.createElement("li");
    made.textContent = line;
    return made;
  }));
  table("queries",
    [["query", true], ["asked"], ["hits"], ["misses"], ["direct"], ["kept"], ["memory"], ["standing", true], ["statement", true]],
    queries.map((q) => {
      const asked = q.hits + q.misses + q.direct;
      return [q.name || q.form, asked ? whole(asked) : NONE, ratio(q.hits, asked), ratio(q.misses, asked), ratio(q.direct, asked), whole(q.entries),
        bytes(q.bytes), q.standing, q.statement.length > 160 ? q.statement.slice(0, 159) + "…" : q.statement];
    }));
}

// ---- looks that come

function takeIn(answer) {
  for (const look of answer.looks) {
    look.seconds = looks.length ? (look.nanos - looks[looks.length - 1].nanos) / 1e9 : 0;
    looks.push(look);
  }
  newest = answer.newest;
  queries = answer.queries;
  const oldest = looks[looks.length - 1].at - 1000 * (LONGEST_SECONDS + 60);
  looks = looks.filter((look) => look.at >= oldest);
  element("program").textContent = answer.program;
  document.title = "Warm Shelf: " + answer.program;
  const select = element("shelf");
  for (const name of Object.keys(newest.shelves)) {
    if (![...select.options].some((option) => option.value === name)) {
      select.add(new Option(name, name));
    }
  }
}

function show() {
  if (looks.length === 0) {
    return;
  }
  PLOTS.forEach(draw);
  tables();
}

function state(which, words) {
  const place = element("state");
  if (place.textContent !== words) {
    place.textContent = words;
  }
  place.dataset.state = which;
}

async function ask() {
  try {
    const after = looks.length ? looks[looks.length - 1].n : -1;
    const response = await fetch("looks?after=" + after, { cache: "no-store" });
    const answer = await response.json();
    if (answer.looks.length > 0) {
      takeIn(answer);
      const health = newest.health;
      state(health.every((each) => each.well) ? "well" : "ill", [...new Set(health.map((each) => each.words))].join("; "));
      if (!paused) {
        show();
      }
    }
    ended = false;
  } catch (failure) {
    if (!(failure instanceof TypeError)) {
      throw failure;
    }
    ended = true; // what was seen stays
    state("ended", "shelf watch has ended, or the program has; the plots stay as they are");
  }
  window.setTimeout(ask, ended ? 3000 : 500);
}

function begin() {
  const place = element("plots");
  PLOTS.forEach((plot) => {
    plot.figure = document.createElement("figure");
    plot.figure.id = plot.id;
    plot.figure.tabIndex = 0;
    plot.figure.setAttribute("role", "group");
    plot.figure.setAttribute("aria-labelledby", plot.id + "-head");
    plot.figure.setAttribute("aria-describedby", "help");
    plot.figure.innerHTML = '<h2></h2><ul class="keys"></ul><div class="chart" aria-hidden="true"></div>';
    plot.figure.querySelector("h2").id = plot.id + "-head";
    plot.figure.querySelector("h2").textContent = plot.head;
    plot.figure.addEventListener("keydown", (event) => pressed(plot, event));
    plot.figure.addEventListener("mouseleave", () => {
      plot.when = null;
      if (plot.data) {
        keys(plot);
      }
    });
    place.append(plot.figure);
  });
  element("pause").addEventListener("click", () => {
    paused = !paused;
    element("pause").setAttribute("aria-pressed", String(paused));
    show();
  });
  element("shelf").addEventListener("change", show);
  element("window").addEventListener("change", show);
  window.matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => PLOTS.forEach((plot) => plot.chart && plot.chart.redraw()));
  new ResizeObserver(() => PLOTS.forEach((plot) => plot.chart
    && plot.chart.setSize({ width: plot.figure.querySelector(".chart").clientWidth, height: 170 }))).observe(place);
  ask();
}

begin();
