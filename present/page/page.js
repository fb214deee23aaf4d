"use strict";
// Draws each heat trace from the data that the page carries.
(function () {
  const traces = JSON.parse(document.getElementById("data").textContent);
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
    const high = Math.max.apply(null, trace.throughput.points.map(function (point) { return point.v; }));
    const ceiling = trace.ceiling && trace.ceiling.value <= 4 * high ? trace.ceiling.value : 0;
    return {
      animation: !still.matches, textStyle: { fontFamily: "system-ui, sans-serif" },
      legend: { top: 0, textStyle: axisText },
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

  function draw() {
    for (const [id, trace] of Object.entries(traces)) {
      const place = document.getElementById(id);
      let chart = charts.get(id);
      if (!chart) {
        chart = echarts.init(place, null, { renderer: "svg" });
        charts.set(id, chart);
      }
      chart.setOption(option(trace), true);
    }
  }

  draw();
  dark.addEventListener("change", draw);
  window.addEventListener("resize", function () { charts.forEach(function (chart) { chart.resize(); }); });
})();
