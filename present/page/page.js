"use strict";
// Draws what is behind folds when they are opened, and figures over time anew, from their
// points, when they are touched. Without it every figure in the open is there all the same.
(function () {
  const payloads = new Map();
  document.querySelectorAll("script[data-for]").forEach(function (each) {
    const payload = { packed: each.textContent, made: null };
    each.dataset.for.split(" ").forEach(function (id) { payloads.set(id, payload); });
  });

  // What a payload holds: JSON by the ids of figures, compressed by deflate, in base64.
  async function inflate(text) {
    const packed = Uint8Array.from(atob(text), function (c) { return c.charCodeAt(0); });
    const stream = new Blob([packed]).stream().pipeThrough(new DecompressionStream("deflate-raw"));
    return JSON.parse(await new Response(stream).text());
  }
  async function unpack(id) {
    const payload = payloads.get(id);
    payload.made = payload.made || inflate(payload.packed);
    return (await payload.made)[id];
  }

  async function drawLazy(part) {
    if (part.dataset.begun) { return; }
    part.dataset.begun = "1";
    const made = await unpack(part.id);
    if (made.table) {
      part.innerHTML = made.table;
    } else {
      part.querySelector(".drawn").innerHTML = made.svg;
      offer(part);
    }
  }

  document.querySelectorAll("details").forEach(function (fold) {
    fold.addEventListener("toggle", function () {
      if (!fold.open) { return; }
      fold.querySelectorAll("[data-lazy]").forEach(function (part) {
        if (part.closest("details").open) { drawLazy(part); }
      });
    });
  });

  // On a phone's screen figures are drawn for that: the wide ones are there for all others,
  // and for where no script runs.
  const phone = window.matchMedia("(max-width: 46rem)");
  async function drawSlim(figure) {
    const place = figure.querySelector(".drawn");
    if (!phone.matches || place.querySelector(".slim") || !payloads.has(figure.id)) { return; }
    const slim = (await unpack(figure.id)).slim;
    if (slim && !place.querySelector(".slim")) { place.insertAdjacentHTML("beforeend", slim); }
  }
  function drawAllSlim() { document.querySelectorAll("figure:not([data-lazy])").forEach(function (f) { if (f.querySelector(".drawn")) { drawSlim(f); } }); }
  phone.addEventListener("change", drawAllSlim);
  drawAllSlim();

  // A figure over time can be touched, and has a button for those who touch nothing.
  function offer(figure) {
    if (figure.dataset.series === undefined || !payloads.has(figure.id)) { return; }
    const place = figure.querySelector(".drawn");
    const tools = document.createElement("div");
    tools.className = "tools";
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = "Look closer";
    button.title = "Read values, enlarge a stretch of time, leave lines out";
    button.addEventListener("click", function () { touch(figure, true); });
    tools.append(button);
    place.before(tools);
    place.addEventListener("pointerdown", function () { touch(figure, false); }, { once: true });
  }
  document.querySelectorAll("figure[data-series]:not([data-lazy])").forEach(offer);

  function colour(name) { return getComputedStyle(document.documentElement).getPropertyValue("--" + name).trim(); }

  // Thousands are set apart by a no-break space, as everywhere else.
  function grouped(value) { return Number(value.toPrecision(4)).toString().replace(/\B(?=(\d{3})+(?!\d))/g, "\u00a0"); }

  const touched = new Map();

  async function touch(figure, byButton) {
    if (touched.has(figure)) { return; }
    const place = figure.querySelector(".drawn"), tools = figure.querySelector(".tools");
    const state = { drawing: Array.from(place.childNodes), charts: [], tools: Array.from(tools.childNodes) };
    touched.set(figure, state);
    const lanes = (await unpack(figure.id)).lanes;
    await library();
    const width = place.clientWidth;
    place.classList.add("touched");
    place.replaceChildren();
    const readout = document.createElement("p");
    readout.className = "readout";
    readout.textContent = "Point at the lines to read them; draw over a stretch to enlarge it.";
    const key = "at-" + figure.id;
    lanes.forEach(function (lane, at) {
      state.charts.push(chartOf(lane, at === lanes.length - 1, at === 0 ? Math.max(width * 0.3, 220) : 190, width, key,
        function () { readout.textContent = read(lanes, state.charts) || readout.textContent; }, place));
    });
    place.append(readout);
    tools.replaceChildren.apply(tools, buttonsOf(figure, lanes, state.charts));
    if (byButton) { tools.querySelector("button").focus(); }
  }

  // The library that draws is there once something is touched.
  let asked = null;
  function library() {
    asked = asked || unpack("chart-library").then(function (source) {
      const script = document.createElement("script");
      script.textContent = source;
      document.head.append(script);
    });
    return asked;
  }

  // One chart of lines that share an axis. Lines have points of their own, so that times are
  // put together first.
  function chartOf(lane, last, height, width, key, moved, place) {
    const data = window.uPlot.join(lane.lines.map(function (line) { return [line.t, line.v]; }));
    const ink = colour("ink"), rule = colour("rule");
    const grid = { stroke: rule, width: 1 }, ticks = { stroke: rule, width: 1 };
    const options = {
      width: width, height: height, legend: { show: false },
      cursor: { sync: { key: key, setSeries: false }, drag: { x: true, y: false } },
      scales: { x: { time: false }, y: { range: function (u, low, high) { return [0, (high || 1) * 1.05]; } } },
      axes: [
        { show: true, stroke: ink, grid: grid, ticks: ticks, label: last ? "seconds since the pass began to count" : undefined, labelSize: 22, size: 34 },
        { stroke: ink, grid: grid, ticks: ticks, label: lane.unit, labelSize: 22, size: 64, values: function (u, values) { return values.map(grouped); } }
      ],
      series: [{ label: "seconds" }].concat(lane.lines.map(function (line) {
        return { label: line.name, stroke: colour(line.tone), width: 2, dash: line.dashes.length ? line.dashes : undefined, spanGaps: true, points: { show: false } };
      })),
      hooks: {
        setCursor: [moved],
        drawClear: [function (u) { shade(u, lane.spans); }],
        setScale: [function (u, scale) { if (scale === "x") { follow(u, key); } }]
      }
    };
    const box = document.createElement("div");
    place.append(box);
    const chart = new window.uPlot(options, data, box);
    box.chart = chart;
    group(key).push(chart);
    return chart;
  }

  const groups = new Map();
  function group(key) {
    if (!groups.has(key)) { groups.set(key, []); }
    return groups.get(key);
  }

  let following = false;
  function follow(from, key) {
    if (following) { return; }
    following = true;
    group(key).forEach(function (other) {
      if (other !== from) { other.setScale("x", { min: from.scales.x.min, max: from.scales.x.max }); }
    });
    following = false;
  }

  const severities = { note: "grey", caution: "amber", fault: "crimson" };
  function shade(u, spans) {
    u.ctx.save();
    (spans || []).forEach(function (span) {
      const from = Math.max(u.valToPos(span.from, "x", true), u.bbox.left);
      const to = Math.min(u.valToPos(span.to, "x", true), u.bbox.left + u.bbox.width);
      u.ctx.globalAlpha = 0.12;
      u.ctx.fillStyle = colour(severities[span.severity] || "grey");
      if (to > from) { u.ctx.fillRect(from, u.bbox.top, to - from, u.bbox.height); }
    });
    u.ctx.restore();
  }

  // The values under the pointer, of each line the last one known by then.
  function read(lanes, charts) {
    const parts = [];
    let time = null;
    charts.forEach(function (chart, at) {
      const place = chart.cursor.idx;
      if (place === null || place === undefined) { return; }
      time = chart.data[0][place];
      lanes[at].lines.forEach(function (line, i) {
        if (!chart.series[i + 1].show) { return; }
        let j = place;
        while (j > 0 && (chart.data[i + 1][j] === null || chart.data[i + 1][j] === undefined)) { j--; }
        const value = chart.data[i + 1][j];
        if (value !== null && value !== undefined) { parts.push(line.name + " " + grouped(value) + " " + lanes[at].unit); }
      });
    });
    return time === null ? "" : "at " + grouped(time) + " s: " + parts.join(" · ");
  }

  function button(text, pressed, act) {
    const made = document.createElement("button");
    made.type = "button";
    made.textContent = text;
    if (pressed !== undefined) { made.setAttribute("aria-pressed", String(pressed)); }
    made.addEventListener("click", function () { act(made); });
    return made;
  }

  // Lines are left out, and time is enlarged, by keys too.
  function buttonsOf(figure, lanes, charts) {
    const made = [];
    lanes.forEach(function (lane, at) {
      lane.lines.forEach(function (line, i) {
        const one = button(line.name, true, function (self) {
          const show = self.getAttribute("aria-pressed") !== "true";
          self.setAttribute("aria-pressed", String(show));
          charts[at].setSeries(i + 1, { show: show });
        });
        const sample = document.createElementNS("http://www.w3.org/2000/svg", "svg");
        sample.setAttribute("viewBox", "0 0 30 6");
        sample.setAttribute("aria-hidden", "true");
        sample.innerHTML = '<path d="M0 3L30 3" stroke="var(--' + line.tone + ')" stroke-width="3"' +
          (line.dashes.length ? ' stroke-dasharray="' + line.dashes.map(function (d) { return d / 1.6; }).join(" ") + '"' : "") + "/>";
        one.prepend(sample);
        made.push(one);
      });
    });
    const whole = charts[0].data[0];
    const first = Math.min.apply(null, charts.map(function (c) { return c.data[0][0]; }));
    const end = Math.max.apply(null, charts.map(function (c) { return c.data[0][c.data[0].length - 1]; }));
    const to = function (low, high) { charts[0].setScale("x", { min: Math.max(low, Math.min(first, whole[0])), max: Math.min(high, end) }); };
    const span = function () { const x = charts[0].scales.x; return [x.min, x.max, x.max - x.min]; };
    made.push(button("Closer", undefined, function () { const s = span(); to(s[0] + s[2] / 4, s[1] - s[2] / 4); }));
    made.push(button("Earlier", undefined, function () { const s = span(), by = Math.min(s[2] / 2, s[0] - first); to(s[0] - by, s[1] - by); }));
    made.push(button("Later", undefined, function () { const s = span(), by = Math.min(s[2] / 2, end - s[1]); to(s[0] + by, s[1] + by); }));
    made.push(button("All of it", undefined, function () { to(first, end); }));
    made.push(button("Back to the drawing", undefined, function () { restore(figure); figure.querySelector(".tools button").focus(); }));
    return made;
  }

  function restore(figure) {
    const state = touched.get(figure), place = figure.querySelector(".drawn");
    if (!state) { return; }
    state.charts.forEach(function (chart) { chart.destroy(); });
    groups.delete("at-" + figure.id);
    place.replaceChildren.apply(place, state.drawing);
    place.classList.remove("touched");
    figure.querySelector(".tools").replaceChildren.apply(figure.querySelector(".tools"), state.tools);
    touched.delete(figure);
    place.addEventListener("pointerdown", function () { touch(figure, false); }, { once: true });
  }

  // A chart is of one size and of one scheme of colours; paper gets the drawings.
  function restoreAll() { Array.from(touched.keys()).forEach(restore); }
  window.addEventListener("resize", restoreAll);
  window.matchMedia("(prefers-color-scheme: dark)").addEventListener("change", restoreAll);
  const opened = [];
  window.addEventListener("beforeprint", function () {
    restoreAll();
    document.querySelectorAll("details.matters:not([open])").forEach(function (fold) { fold.open = true; opened.push(fold); });
  });
  window.addEventListener("afterprint", function () { opened.splice(0).forEach(function (fold) { fold.open = false; }); });
}());
