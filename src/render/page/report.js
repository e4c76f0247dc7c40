// report.js: makes the report's curves zoomable. Data come from blocks of JSON and go into the page as text and
// as lines on a canvas, never as markup.
(function () {
  'use strict';
  var root = document.documentElement, charts = {};
  root.classList.add('js');

  function node(kind, name, text) {
    var made = document.createElement(kind);
    if (name) made.className = name;
    if (text !== undefined) made.textContent = text;
    return made;
  }

  var theme = document.querySelector('button.theme');
  if (theme) theme.addEventListener('click', function () {
    var dark = root.dataset.theme ? root.dataset.theme === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
    root.dataset.theme = dark ? 'light' : 'dark';
    Object.keys(charts).forEach(function (id) { if (charts[id].graph) charts[id].graph.resize(); });
  });

  var prefixes = [[1e12, 'T'], [1e9, 'G'], [1e6, 'M'], [1e3, 'k'], [1, ''], [1e-3, 'm'], [1e-6, 'u'], [1e-9, 'n'], [1e-12, 'p']];
  function worded(value, unit, digits) {
    if (value === null || isNaN(value)) return '-';
    var factor = [1, ''];
    if (unit.prefix && value !== 0)
      factor = prefixes.find(function (p) { return Math.abs(value) >= p[0] * 0.9999; }) || prefixes[prefixes.length - 1];
    return String(Number((value / factor[0]).toPrecision(digits))) + (unit.name ? ' ' + factor[1] + unit.name : '');
  }

  function plain(value) {
    var size = Math.abs(value);
    return size !== 0 && (size < 1e-3 || size >= 1e6) ? value.toExponential(2).replace(/\.?0+e/, 'e') : String(Number(value.toPrecision(4)));
  }

  function ink() { return getComputedStyle(document.body).color; }

  // The darkest line of a white page, on either ground.
  function seen(colour) { return colour === '#333333' ? '#7a7a7a' : colour; }

  // Numbers of the tables, where they stand on the curve.
  function draw_marks(data) {
    return function (canvas, area, graph) {
      var range = graph.xAxisRange();
      function place(x) {
        var share = data.x.log ? Math.log(x / range[0]) / Math.log(range[1] / range[0]) : (x - range[0]) / (range[1] - range[0]);
        return area.x + share * area.w;
      }
      canvas.save();
      canvas.fillStyle = canvas.strokeStyle = ink();
      canvas.font = '12px sans-serif';
      canvas.textAlign = 'center';
      // The highest first; what would stand on another number is seen when the place is zoomed into.
      var drawn = [];
      data.marks.slice().sort(function (m, n) { return n[1] - m[1]; }).forEach(function (mark) {
        var x = place(mark[0]), y = graph.toDomYCoord(mark[1]),
            half = canvas.measureText(mark[2]).width / 2 + 1;
        if (!(x >= area.x && x <= area.x + area.w)) return;
        y = Math.max(area.y + 14, Math.min(area.y + area.h, y) - 6);
        if (drawn.some(function (d) { return Math.abs(d.x - x) < d.half + half && Math.abs(d.y - y) < 20; })) return;
        drawn.push({ x: x, y: y, half: half });
        canvas.fillText(mark[2], x, y);
      });
      data.verticals.forEach(function (at) {
        var x = place(at);
        if (!(x >= area.x && x <= area.x + area.w)) return;
        canvas.globalAlpha = 0.4;
        canvas.beginPath(); canvas.moveTo(x, area.y); canvas.lineTo(x, area.y + area.h); canvas.stroke();
        canvas.globalAlpha = 1;
      });
      canvas.restore();
    };
  }

  // Room for the numbers above the highest point.
  function with_headroom(data) {
    if (data.y.low !== null && data.y.high !== null) return [data.y.low, data.y.high];
    var low = Infinity, high = -Infinity;
    data.rows.forEach(function (row) {
      row.slice(1).forEach(function (cell) {
        (Array.isArray(cell) ? cell : [cell]).forEach(function (y) {
          if (y === null || !isFinite(y) || (data.y.log && !(y > 0))) return;
          low = Math.min(low, y); high = Math.max(high, y);
        });
      });
    });
    // What differs by rounding alone is flat.
    var size = Math.max(Math.abs(low), Math.abs(high));
    if (!data.y.log && high >= low && !(high - low > 1e-13 * size)) return [low - (0.1 * size || 1), high + (0.1 * size || 1)];
    if (!data.marks.length || !(high > low)) return null;
    return [null, data.y.log ? high * Math.pow(high / low, 0.08) : high + 0.08 * (high - low)];
  }

  // Decades of a logarithmic axis, with 2 and 5 or 3 between where there are few; lines for all.
  function log_ticks(low, high, pixels, options) {
    var worded_as = options('axisLabelFormatter'), decades = Math.log10(high / low), out = [];
    var named = decades * 3 * 45 < pixels ? [1, 2, 5] : decades * 2 * 40 < pixels ? [1, 3] : [1];
    if (decades < 0.7) return Dygraph.numericTicks(low, high, pixels, options);
    for (var e = Math.floor(Math.log10(low)); e <= Math.log10(high); ++e)
      for (var d = 1; d < 10; ++d) {
        var v = Number(d + 'e' + e);
        if (v >= low && v <= high) out.push({ v: v, label: named.indexOf(d) < 0 ? '' : worded_as(v) });
      }
    return out;
  }
  function ticks(log) { return log ? log_ticks : Dygraph.numericTicks; }

  function make(chart) {
    if (chart.graph) return chart.graph;
    var data = chart.data, labels = ['x'], series = {}, drawn = data.curves.map(function (curve, i) {
      labels.push('s' + i);
      series['s' + i] = curve.points ? { strokeWidth: 0, drawPoints: true, pointSize: 3.5 } : { strokeWidth: curve.band ? 0 : curve.faint ? 0.6 : 1.2 };
      return seen(curve.colour);
    });
    var options = {
      labels: labels, colors: drawn, series: series, legend: 'never', connectSeparatedPoints: true, customBars: data.bands,
      fillAlpha: 0.55, logscale: data.y.log, gridLineColor: 'rgba(128,128,128,.25)', axisLineColor: 'rgba(128,128,128,.7)',
      axes: {
        x: { logscale: data.x.log, ticker: ticks(data.x.log), axisLabelFormatter: function (v) { return worded(v, data.x.unit, 5); }, axisLabelWidth: 76 },
        y: { ticker: ticks(data.y.log), axisLabelFormatter: plain, axisLabelWidth: 64 }
      },
      underlayCallback: draw_marks(data),
      highlightCallback: function (event, x, points) {
        chart.read.textContent = data.x.name + ' ' + worded(x, data.x.unit, 7) + ': ' + points.map(function (p) {
          var curve = data.curves[Number(p.name.slice(1))];
          return (curve.name ? curve.name + ' ' : '') + (curve.band && p.yval_minus !== undefined ?
            worded(p.yval_minus, data.y.unit, 4) + ' to ' + worded(p.yval_plus, data.y.unit, 4) : worded(p.yval, data.y.unit, 5));
        }).join(', ');
      }
    };
    options.valueRange = with_headroom(data);
    if (data.x.low !== null && data.x.high !== null) options.dateWindow = [data.x.low, data.x.high];
    chart.home = [options.dateWindow || null, options.valueRange];
    chart.graph = new Dygraph(chart.box, data.rows, options);
    return chart.graph;
  }

  // Part of the way from the left, and how many times as wide.
  function move(chart, shift, wider) {
    var graph = make(chart), range = graph.xAxisRange(), log = chart.log_x;
    var a = log ? Math.log(range[0]) : range[0], b = log ? Math.log(range[1]) : range[1];
    var middle = (a + b) / 2 + shift * (b - a), half = (b - a) / 2 * wider;
    var low = middle - half, high = middle + half;
    graph.updateOptions({ dateWindow: log ? [Math.exp(low), Math.exp(high)] : [low, high] });
  }

  function home(chart) {
    make(chart).updateOptions({ dateWindow: chart.home[0], valueRange: chart.home[1] });
  }

  function jump(chart, x) {
    chart.figure.classList.remove('picture');
    var graph = make(chart), all = graph.xAxisExtremes(), half = (all[1] - all[0]) / 40;
    graph.updateOptions({ dateWindow: [Math.max(all[0], x - half), Math.min(all[1], x + half)] });
    chart.zoom.scrollIntoView({ block: 'center' });
    var rows = chart.data.rows, near = 0;
    rows.forEach(function (row, i) { if (Math.abs(row[0] - x) < Math.abs(rows[near][0] - x)) near = i; });
    graph.setSelection(near);
    chart.box.focus({ preventScroll: true });
  }

  // Gaps, which JSON has no number for.
  function with_gaps(value) {
    return value === '-' ? NaN : Array.isArray(value) ? value.map(with_gaps) : value;
  }

  function set_up(block) {
    var data = JSON.parse(block.textContent), zoom = node('div', 'zoom'), head = node('div', 'head');
    var chart = { data: data, figure: block.parentNode, zoom: zoom, box: node('div', 'chart'), read: node('div', 'read'), log_x: data.x.log };
    data.rows = data.rows.map(with_gaps);
    function button(text, what, does) {
      var b = node('button', '', text);
      b.type = 'button';
      b.setAttribute('aria-label', what);
      b.addEventListener('click', function () { does(b); });
      head.appendChild(b);
      return b;
    }
    function axis_button(axis) {
      if (!data[axis].may_log) return;
      var b = button(axis + ': ' + (data[axis].log ? 'logarithmic' : 'linear'), 'scale of the ' + axis + ' axis', function () {
        var graph = make(chart), log = data[axis].log = !data[axis].log;
        b.textContent = axis + ': ' + (log ? 'logarithmic' : 'linear');
        if (axis === 'x') { chart.log_x = log; graph.updateOptions({ axes: { x: { logscale: log, ticker: ticks(log) } }, dateWindow: null }); }
        else graph.updateOptions({ logscale: log, axes: { y: { ticker: ticks(log) } }, valueRange: with_headroom(data) });
      });
    }
    head.appendChild(node('span', 'name', data.title));
    data.curves.forEach(function (curve) {
      if (!curve.name || data.curves.length < 2) return;
      var name = node('span', '', curve.name);
      name.style.color = seen(curve.colour);
      head.appendChild(name);
    });
    axis_button('x');
    axis_button('y');
    button('whole', 'show the whole curve', function () { home(chart); });
    if (chart.figure.classList.contains('charted'))
      button('as picture', 'show the picture instead', function () { chart.figure.classList.add('picture'); });
    chart.box.tabIndex = 0;
    chart.box.setAttribute('role', 'img');
    chart.box.setAttribute('aria-label', data.title + ': ' + data.y.name + ' over ' + data.x.name + '. Arrow keys move, plus and minus zoom, 0 shows all.');
    chart.box.addEventListener('keydown', function (event) {
      var does = { ArrowLeft: [-0.2, 1], ArrowRight: [0.2, 1], '+': [0, 0.6], '=': [0, 0.6], '-': [0, 1 / 0.6] }[event.key];
      if (does) move(chart, does[0], does[1]);
      else if (event.key === '0' || event.key === 'Escape') home(chart);
      else return;
      event.preventDefault();
    });
    zoom.appendChild(head);
    zoom.appendChild(node('div', 'axis', data.y.name + (data.y.unit.name ? ' (' + data.y.unit.name + ')' : '')));
    zoom.appendChild(chart.box);
    zoom.appendChild(node('div', 'axis below', data.x.name + (data.x.unit.name ? ' (' + data.x.unit.name + ')' : '')));
    chart.read.textContent = 'Drag to zoom, shift-drag to move, double-click for all.';
    zoom.appendChild(chart.read);
    block.parentNode.insertBefore(zoom, block);
    charts[block.id] = chart;
    return chart;
  }

  var blocks = Array.prototype.slice.call(document.querySelectorAll('script[type="application/json"].curves'));
  blocks.forEach(set_up);
  document.querySelectorAll('figure.charted').forEach(function (figure) {
    var back = node('button', 'pictures', 'zoomable curves');
    back.type = 'button';
    back.hidden = true;
    back.addEventListener('click', function () { figure.classList.remove('picture'); });
    figure.appendChild(back);
    new MutationObserver(function () { back.hidden = !figure.classList.contains('picture'); }).observe(figure, { attributes: true });
  });
  document.querySelectorAll('button.jump').forEach(function (b) {
    var chart = charts[b.dataset.chart];
    if (chart) b.addEventListener('click', function () { jump(chart, Number(b.dataset.x)); });
  });
  // One after the other, so that the page answers meanwhile.
  var waiting = Object.keys(charts);
  (function next() {
    if (!waiting.length) return;
    make(charts[waiting.shift()]);
    setTimeout(next, 0);
  })();
})();
