"use strict";
(function () {
  var SVG = "http://www.w3.org/2000/svg";
  function make(name, attributes, text) {
    var node = document.createElementNS(SVG, name);
    Object.keys(attributes).forEach(function (key) { node.setAttribute(key, attributes[key]); });
    if (text !== undefined) { node.textContent = text; }
    return node;
  }
  function choice(label, kind, checked, changed) {
    var outer = document.createElement("label"), box = document.createElement("input");
    box.type = kind; box.checked = checked;
    box.addEventListener("change", changed);
    outer.append(box, " " + label);
    return { node: outer, box: box };
  }
  function digits(value) { return value >= 100 ? value.toFixed(0) : value.toPrecision(3); }
  document.querySelectorAll(".chart").forEach(function (holder) {
    var data = JSON.parse(holder.querySelector("script").textContent);
    var setups = [], boxes = {}, fields = document.createElement("fieldset");
    var legend = document.createElement("legend"), told = document.createElement("p"), drawing = document.createElement("div");
    data.rows.forEach(function (row) { if (setups.indexOf(row[1]) < 0) { setups.push(row[1]); } });
    legend.textContent = "Shown";
    fields.append(legend);
    setups.forEach(function (name) { boxes[name] = choice(name, "checkbox", true, draw); fields.append(boxes[name].node); });
    var log = choice("logarithmic", "checkbox", false, draw);
    fields.append(log.node);
    told.className = "told"; told.setAttribute("role", "status");
    holder.append(fields, told, drawing);
    function draw() {
      var rows = data.rows.filter(function (row) { return boxes[row[1]].box.checked; });
      var values = rows.map(function (row) { return row[2]; }).filter(function (v) { return v > 0; });
      var most = Math.max.apply(null, values.concat(1e-9)) * 1.08, least = Math.min.apply(null, values.concat(most)) / 1.5;
      function along(value) {
        if (!log.box.checked) { return 640 * Math.max(value, 0) / most; }
        return 640 * Math.max(Math.log(Math.max(value, least) / least), 0) / Math.log(most / least);
      }
      var height = 0, last = null, svg = make("svg", { role: "group", "aria-label": data.caption });
      rows.forEach(function (row) {
        if (row[0] !== last) { height += last === null ? 18 : 34; svg.append(make("text", { x: 0, y: height, "font-weight": 600 }, row[0])); height += 8; last = row[0]; }
        var words = row[0] + ", " + row[1] + ": " + digits(row[2]) + " " + data.unit;
        if (row[3] !== null) { words += " (95 %: " + digits(row[3]) + " to " + digits(row[4]) + ")"; }
        svg.append(make("text", { x: 0, y: height + 13 }, row[1].slice(0, 26)));
        var bar = make("rect", { class: "bar", x: 200, y: height + 2, width: Math.max(along(row[2]), 1), height: 13, tabindex: 0, role: "img", "aria-label": words });
        ["mouseenter", "focus"].forEach(function (event) { bar.addEventListener(event, function () { told.textContent = words; }); });
        svg.append(bar);
        if (row[3] !== null) { svg.append(make("line", { class: "whisker", x1: 200 + along(row[3]), x2: 200 + along(row[4]), y1: height + 8.5, y2: height + 8.5 })); }
        svg.append(make("text", { x: 206 + along(Math.max(row[2], row[4] || 0)), y: height + 13 }, digits(row[2])));
        height += 20;
      });
      svg.setAttribute("viewBox", "0 0 920 " + Math.max(height + 6, 20));
      drawing.replaceChildren(svg);
      if (!rows.length) { told.textContent = "Nothing is chosen."; }
    }
    draw();
  });
}());
