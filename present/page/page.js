"use strict";
// Draws each figure from the data that the page carries.
(function () {
  const data = JSON.parse(document.getElementById("data").textContent);
  const dark = window.matchMedia("(prefers-color-scheme: dark)");
  const still = window.matchMedia("(prefers-reduced-motion: reduce)");
  const charts = new Map();

  function colour(name) {
    return getComputedStyle(document.documentElement).getPropertyValue("--" + name).trim();
  }

  const severities = { note: "grey", caution: "amber", fault: "crimson" };

  function areas(trace, labelled) {
    const seen = new Set();
    return trace.spans.map(function (span) {
      const shade = colour(severities[span.severity] || "grey");
      const first = !seen.has(span.kind);
      seen.add(span.kind);
      return [
        {
          xAxis: span.from, name: labelled && first ? span.kind + ", " + span.levelText : "",
          itemStyle: { color: shade, opacity: 0.13 },
          label: { color: shade, position: "insideBottomLeft", fontWeight: "bold" }
        },
        { xAxis: span.to }
      ];
    });
  }

  // Thousands are set apart by a no-break space, as everywhere else.
  function grouped(value) {
    return Number(value.toPrecision(6)).toString().replace(/\B(?=(\d{3})+(?!\d))/g, "\u00a0");
  }

  function pairs(line) {
    return line.points.map(function (point) { return [point.t, point.v]; });
  }

  function option(trace) {
    const ink = colour("ink"), rule = colour("rule"), flow = colour(trace.writes ? "indigo" : "teal");
    const axisText = { color: ink };
    const series = [{
      name: "throughput", type: "line", data: pairs(trace.throughput), xAxisIndex: 0, yAxisIndex: 0,
      showSymbol: false, sampling: "min", lineStyle: { color: flow, width: 2 }, itemStyle: { color: flow },
      areaStyle: { color: flow, opacity: 0.12 }, markArea: { silent: true, data: areas(trace, true) }
    }];
    if (trace.ceiling) {
      series[0].markLine = {
        silent: true, symbol: "none", data: [{ yAxis: trace.ceiling.value }],
        lineStyle: { color: colour("grey"), type: "dashed" },
        label: { formatter: trace.ceiling.label, position: "insideEndTop", color: colour("grey") }
      };
    }
    const kinds = ["solid", "dashed", "dotted"];
    trace.temperatures.forEach(function (line, at) {
      series.push({
        name: line.name + " °C", type: "line", data: pairs(line), xAxisIndex: 1, yAxisIndex: 1,
        showSymbol: false, sampling: "max", itemStyle: { color: colour("vermilion") },
        lineStyle: { color: colour("vermilion"), width: 2, type: kinds[at % kinds.length] },
        markArea: at === 0 ? { silent: true, data: areas(trace, false) } : undefined
      });
    });
    if (trace.fanKnown) {
      series.push({
        name: "fan runs", type: "line", xAxisIndex: 1, yAxisIndex: 1, data: [], itemStyle: { color: colour("grey") },
        markArea: { silent: true, itemStyle: { color: colour("grey"), opacity: 0.22 }, label: { position: "insideTopLeft", color: colour("grey") },
          data: trace.fan.map(function (stretch, at) { return [{ xAxis: stretch.from, name: at === 0 ? "fan runs" : "" }, { xAxis: stretch.to }]; }) }
      });
    }
    const high = Math.max.apply(null, trace.throughput.points.map(function (point) { return point.v; }));
    const ceiling = trace.ceiling && trace.ceiling.value <= 4 * high ? trace.ceiling.value : 0;
    return {
      animation: !still.matches, textStyle: { fontFamily: "system-ui, sans-serif" },
      legend: { show: false },
      tooltip: { trigger: "axis", valueFormatter: function (value) { return value === undefined ? "" : grouped(Number(value.toPrecision(4))); } },
      axisPointer: { link: [{ xAxisIndex: "all" }] },
      grid: [{ left: 76, right: 24, top: 62, height: 220 }, { left: 76, right: 24, top: 306, height: 76 }],
      xAxis: [
        { type: "value", gridIndex: 0, min: 0, max: trace.seconds, axisLabel: { show: false }, splitLine: { show: false } },
        { type: "value", gridIndex: 1, min: 0, max: trace.seconds, name: "seconds", nameLocation: "middle", nameGap: 26, nameTextStyle: axisText, axisLabel: { color: ink, showMaxLabel: false }, splitLine: { show: false } }
      ],
      yAxis: [
        { type: "value", gridIndex: 0, min: 0, max: ceiling > high ? Math.ceil(ceiling * 1.08 / 100) * 100 : undefined, name: trace.unit + ", higher is better", nameTextStyle: { color: ink, align: "left" }, axisLabel: { color: ink, formatter: grouped }, splitLine: { lineStyle: { color: rule } } },
        { type: "value", gridIndex: 1, min: 0, splitNumber: 2, name: "°C", nameLocation: "middle", nameRotate: 0, nameGap: 44, nameTextStyle: axisText, axisLabel: axisText, splitLine: { lineStyle: { color: rule } } }
      ],
      dataZoom: [{ type: "slider", xAxisIndex: [0, 1], bottom: 10, height: 24, textStyle: axisText }],
      series: series
    };
  }

  function mapOption(map) {
    const ink = colour("ink");
    const cells = [];
    map.cells.forEach(function (row, y) {
      row.forEach(function (cell, x) {
        if (cell.known) {
          const share = Math.min(cell.share, 1);
          cells.push({ value: [x, y, share], name: cell.text, label: { color: share > 0.75 ? colour("panel") : ink } });
        }
      });
    });
    return {
      animation: !still.matches, textStyle: { fontFamily: "system-ui, sans-serif" },
      tooltip: { formatter: function (p) {
        return map.blocks[p.value[1]] + ", depth " + map.depths[p.value[0]] + ": " + p.name + " " + map.unit + ", " + Math.round(p.value[2] * 100) + " %";
      } },
      grid: { left: 84, right: 24, top: 40, bottom: 96 },
      xAxis: { type: "category", data: map.depths, name: "queue depth", nameLocation: "middle", nameGap: 28, nameTextStyle: { color: ink }, axisLabel: { color: ink } },
      yAxis: { type: "category", data: map.blocks, name: map.unit + " by block size, higher is better", nameTextStyle: { color: ink, align: "left" }, axisLabel: { color: ink } },
      visualMap: {
        min: 0, max: 1, calculable: false, orient: "horizontal", left: "center", bottom: 4, itemWidth: 14, itemHeight: 180,
        text: ["100 % " + map.of, "0 %"], textStyle: { color: ink }, inRange: { color: [colour("wash"), colour("teal")] }
      },
      series: [{ type: "heatmap", data: cells, label: { show: true, formatter: "{b}" }, itemStyle: { borderColor: colour("panel"), borderWidth: 2 } }]
    };
  }

  // Whether the figures of a hop stand where those of the flow would.
  function crowded(strip, at) {
    const above = (strip.hops[at].high - strip.flow.value) / strip.top;
    return above > -0.12 && above < 0.15;
  }

  function stripOption(strip) {
    const ink = colour("ink"), grey = colour("grey"), flow = colour(strip.flow && strip.flow.writes ? "indigo" : "teal");
    const names = strip.hops.map(function (hop) { return hop.standard + "\n" + hop.name + (hop.mark ? "\n\u25b2 " + hop.mark : ""); });
    const marked = function (hop) { return hop.mark ? { borderColor: ink, borderWidth: 2 } : {}; };
    const series = [
      { name: "carries at the least", type: "bar", stack: "hop", barWidth: "88%", itemStyle: { color: grey, opacity: 0.35 },
        data: strip.hops.map(function (hop) { return { value: hop.low, itemStyle: marked(hop) }; }) },
      { name: "carries at the most", type: "bar", stack: "hop", barWidth: "88%",
        itemStyle: { color: colour("rule"), decal: { symbol: "rect", dashArrayX: [1, 0], dashArrayY: [2, 5], rotation: -0.8, color: grey } },
        label: { show: true, position: "top", color: ink, fontWeight: "bold", formatter: function (p) { return strip.hops[p.dataIndex].text; } },
        data: strip.hops.map(function (hop) { return { value: hop.high - hop.low, itemStyle: marked(hop) }; }) },
      { name: "could carry", type: "bar", stack: "hop", barWidth: "88%", itemStyle: { color: "transparent", borderColor: grey, borderType: "dashed", borderWidth: 2 },
        data: strip.hops.map(function (hop) { return hop.capable > hop.high ? hop.capable - hop.high : 0; }) }
    ];
    if (strip.flow) {
      series[0].markArea = { silent: true, itemStyle: { color: flow, opacity: 0.45 }, data: [[{ yAxis: 0 }, { yAxis: strip.flow.value }]] };
      series[0].markLine = {
        silent: true, symbol: "none", lineStyle: { color: flow, width: 3, type: "solid" }, data: [{ yAxis: strip.flow.value }],
        label: { position: crowded(strip, strip.hops.length - 1) && !crowded(strip, 0) ? "insideStartTop" : "insideEndTop", color: ink, fontWeight: "bold", formatter: "measured: " + strip.flow.text }
      };
    }
    return {
      animation: !still.matches, textStyle: { fontFamily: "system-ui, sans-serif" },
      tooltip: { trigger: "item", formatter: function (p) { const hop = strip.hops[p.dataIndex]; return hop.name + ", " + hop.standard + ": " + hop.text + " " + strip.unit; } },
      grid: { left: 76, right: 24, top: 44, bottom: 72 },
      xAxis: { type: "category", data: names, axisLabel: { color: ink, interval: 0, lineHeight: 17 }, axisTick: { show: false } },
      yAxis: { type: "value", min: 0, max: strip.top, name: strip.unit + ", higher carries more", nameTextStyle: { color: ink, align: "left" }, axisLabel: { color: ink, formatter: grouped }, splitLine: { lineStyle: { color: colour("rule") } } },
      series: series
    };
  }

  function ladderOption(ladder) {
    const ink = colour("ink");
    const levels = Array.from(new Set(ladder.loads.flatMap(function (load) { return load.rungs.map(function (rung) { return rung.fill; }); }))).sort(function (a, b) { return a - b; });
    const decals = ["none", "rect", "circle", "triangle"];
    return {
      animation: !still.matches, textStyle: { fontFamily: "system-ui, sans-serif" }, legend: { show: false },
      tooltip: { trigger: "item", formatter: function (p) { return p.seriesName + ", " + p.name + ": " + p.data.text + " " + ladder.unit + ", " + Math.round(p.data.of * 100) + " %"; } },
      grid: { left: 76, right: 24, top: 70, bottom: 56 },
      xAxis: { type: "category", data: levels.map(function (fill) { return Math.round(fill * 100) + " %"; }), name: "full", nameLocation: "middle", nameGap: 30, nameTextStyle: { color: ink }, axisLabel: { color: ink } },
      yAxis: { type: "value", min: 0, name: ladder.unit + ", higher is better", nameTextStyle: { color: ink, align: "left" }, axisLabel: { color: ink, formatter: grouped }, splitLine: { lineStyle: { color: colour("rule") } } },
      series: ladder.loads.map(function (load, at) {
        return {
          name: load.label, type: "bar", itemStyle: { color: colour(load.writes ? "indigo" : "teal"), decal: { symbol: decals[Math.floor(at / 2) % decals.length], color: "rgba(255,255,255,0.5)" } },
          label: { show: true, position: "top", color: ink, fontSize: 11, formatter: function (p) { return p.data.text; } },
          data: levels.map(function (fill) {
            const rung = load.rungs.find(function (each) { return each.fill === fill; });
            return rung ? { value: rung.value, text: rung.text, of: rung.of } : null;
          })
        };
      })
    };
  }

  // Lines can be switched off one at a time, and the time axis zoomed, with the
  // keyboard too: each has a button.
  function button(text, press, parent) {
    const made = document.createElement("button");
    made.type = "button";
    made.textContent = text;
    made.addEventListener("click", function () { press(made); });
    parent.appendChild(made);
    return made;
  }

  function zoom(chart, factor) {
    const range = chart.getOption().dataZoom[0];
    const middle = (range.start + range.end) / 2, half = Math.min((range.end - range.start) / 2 * factor, 50);
    const from = Math.min(Math.max(middle - half, 0), 100 - 2 * half);
    chart.dispatchAction({ type: "dataZoom", dataZoomIndex: 0, start: from, end: from + 2 * half });
  }

  function move(chart, share) {
    const range = chart.getOption().dataZoom[0];
    const width = range.end - range.start, from = Math.min(Math.max(range.start + share * width, 0), 100 - width);
    chart.dispatchAction({ type: "dataZoom", dataZoomIndex: 0, start: from, end: from + width });
  }

  function tools(place, chart, made) {
    const bar = document.createElement("div");
    bar.className = "tools";
    bar.setAttribute("role", "group");
    bar.setAttribute("aria-label", "Lines and zoom of this figure");
    place.insertAdjacentElement("beforebegin", bar);
    if (made.legend && made.series.length > 1) {
      made.series.forEach(function (series) {
        const toggle = button("", function (pressed) {
          const on = pressed.getAttribute("aria-pressed") !== "true";
          pressed.setAttribute("aria-pressed", String(on));
          chart.dispatchAction({ type: on ? "legendSelect" : "legendUnSelect", name: series.name });
        }, bar);
        const sample = document.createElement("span");
        sample.className = "line";
        sample.setAttribute("aria-hidden", "true");
        sample.style.borderColor = series.itemStyle.color;
        sample.style.borderTopStyle = series.lineStyle && series.lineStyle.type || "solid";
        toggle.append(sample, series.name);
        toggle.setAttribute("aria-pressed", "true");
      });
    }
    if (made.dataZoom) {
      button("zoom in", function () { zoom(chart, 0.5); }, bar);
      button("zoom out", function () { zoom(chart, 2); }, bar);
      button("earlier", function () { move(chart, -0.5); }, bar);
      button("later", function () { move(chart, 0.5); }, bar);
      button("all", function () { chart.dispatchAction({ type: "dataZoom", dataZoomIndex: 0, start: 0, end: 100 }); }, bar);
    }
    if (!bar.childElementCount) { bar.remove(); }
  }

  function show(id) {
    const place = document.getElementById(id), made = options.get(id)();
    let chart = charts.get(id);
    if (!chart) {
      chart = echarts.init(place, null, { renderer: "svg" });
      charts.set(id, chart);
      chart.setOption(made);
      tools(place, chart, made);
      return;
    }
    chart.setOption(made);
  }

  // What each figure is made of, by the id of its place. A figure is drawn when it
  // comes near to the window: a long report opens at once.
  const options = new Map();
  Object.entries(data.traces).forEach(function (entry) { options.set(entry[0], function () { return option(entry[1]); }); });
  data.ladders.forEach(function (ladder) { options.set(ladder.id, function () { return ladderOption(ladder); }); });
  data.strips.forEach(function (strip) { options.set(strip.id, function () { return stripOption(strip); }); });
  data.maps.forEach(function (map) { options.set(map.id, function () { return mapOption(map); }); });

  const near = new IntersectionObserver(function (entries) {
    entries.forEach(function (entry) {
      if (entry.isIntersecting && !charts.has(entry.target.id)) { show(entry.target.id); }
    });
  }, { rootMargin: "400px" });
  options.forEach(function (_, id) { near.observe(document.getElementById(id)); });

  function redraw() { charts.forEach(function (_, id) { show(id); }); }
  dark.addEventListener("change", redraw);
  window.addEventListener("resize", function () { charts.forEach(function (chart) { chart.resize(); }); });

  // On paper everything is drawn, in the colours of paper.
  window.addEventListener("beforeprint", function () {
    document.documentElement.classList.add("printing");
    options.forEach(function (_, id) { show(id); charts.get(id).resize(); });
  });
  window.addEventListener("afterprint", function () {
    document.documentElement.classList.remove("printing");
    charts.forEach(function (chart) { chart.resize(); });
    redraw();
  });
})();
