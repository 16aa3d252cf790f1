"use strict";
(function () {
  var host = document.querySelector("div.ulterion:not([data-ready])"), root = host && host.shadowRoot || document;
  if (host) { host.dataset.ready = "yes"; }
  function all(selector, within) { return Array.from((within || root).querySelectorAll(selector)); }
  function state() {
    var found = {};
    location.hash.slice(1).split("&").forEach(function (part) {
      var at = part.indexOf("=");
      if (at > 0) { found[part.slice(0, at)] = decodeURIComponent(part.slice(at + 1)); }
    });
    return found;
  }
  function keep(name, value) {
    var now = state();
    now[name] = value;
    var text = Object.keys(now).filter(function (key) { return now[key] !== ""; })
      .map(function (key) { return key + "=" + encodeURIComponent(now[key]); }).join("&");
    history.replaceState(null, "", text ? "#" + text : location.pathname + location.search);
  }

  // the switch between measures
  var radios = all(".switch input");
  radios.forEach(function (radio) {
    radio.addEventListener("change", function () { keep("m", radio.value); });
  });

  // the reader's own case
  function seconds(course, size) {
    var left = size, time = 0;
    course.p.forEach(function (piece) {
      var step = Math.min(left, piece[0]);
      time += step / piece[1];
      left -= step;
    });
    return time + left / course.r;
  }
  function duration(s) {
    if (s < 60) { return (s < 9.995 ? s.toFixed(2) : s.toFixed(1)) + " s"; }
    var whole = Math.round(s), h = Math.floor(whole / 3600), m = Math.floor(whole % 3600 / 60), two = function (n) { return (n < 10 ? "0" : "") + n; };
    return h ? h + "h" + two(m) + "m" : m + "m" + two(whole % 60) + "s";
  }
  function amount(gb) { return gb >= 1000 ? (gb / 1000).toPrecision(3).replace(/\.?0+$/, "") + " TB" : gb + " GB"; }
  all("div.case").forEach(function (holder) {
    var slider = holder.querySelector("input"), out = holder.querySelector("output"), port = holder.querySelector("select");
    var most = Number(holder.dataset.largest) / 1e9, rows = all("tr[data-case]", holder);
    var ports = Array.from(new Set(rows.map(function (row) { return row.dataset.port; }))).filter(Boolean);
    ports.forEach(function (name) { var one = document.createElement("option"); one.value = one.textContent = name; port.append(one); });
    port.parentNode.hidden = ports.length < 2;
    function round(gb) { var p = Math.pow(10, Math.max(0, Math.floor(Math.log10(gb)) - 1)); return Math.max(1, Math.round(gb / p) * p); }
    function place(gb) { return 1000 * Math.log(gb) / Math.log(most); }
    function chosen() { return round(Math.pow(most, slider.value / 1000)); }
    function draw(gb) {
      out.textContent = amount(gb);
      all(".amount", holder).forEach(function (one) { one.textContent = amount(gb); });
      all("table.case", holder).forEach(function (table) {
        var mine = all("tr[data-case]", table).map(function (row) {
          var course = JSON.parse(row.dataset.case), fits = course.h === null || course.h >= gb * 1e9;
          return { row: row, fits: fits, beyond: course.l !== null && course.l < gb * 1e9, time: seconds(course, gb * 1e9), shown: !port.value || row.dataset.port === port.value };
        });
        var longest = Math.max.apply(null, mine.filter(function (one) { return one.fits && one.shown; }).map(function (one) { return one.time; }).concat(1e-9));
        mine.sort(function (a, b) { return (b.fits - a.fits) || (a.time - b.time); });
        mine.forEach(function (one) {
          one.row.hidden = !one.shown;
          var bars = all("rect:not(.track)", one.row);
          bars[0].setAttribute("width", (one.fits ? 100 * one.time / longest : 0) + "%");
          one.row.lastElementChild.textContent = one.fits ? duration(one.time) + (one.beyond ? " *" : "") : "does not fit";
          one.row.parentNode.append(one.row);
        });
      });
    }
    function changed() { draw(chosen()); keep("gb", String(chosen())); }
    slider.addEventListener("input", changed);
    port.addEventListener("change", function () { changed(); keep("port", port.value); });
    holder.querySelector(".choose").hidden = false;
    holder.restore = function (now) {
      var gb = Number(now.gb) > 0 ? Math.min(Number(now.gb), most) : Number(holder.dataset.size) / 1e9;
      slider.value = place(gb);
      port.value = ports.indexOf(now.port) < 0 ? "" : now.port;
      if (now.gb || now.port) { draw(gb); } else { out.textContent = amount(gb); }
    };
  });

  // tables: sorted by a click on a heading, saved as CSV
  function value(cell) {
    var text = cell.textContent.trim(), number = parseFloat(text.replace(/,/g, "").replace("−", "-"));
    return isNaN(number) ? text.toLowerCase() : number;
  }
  function compare(a, b) { return typeof a === typeof b ? (a < b ? -1 : a > b ? 1 : 0) : typeof a === "number" ? -1 : 1; }
  function sort(table, index, heading) {
    var down = heading.getAttribute("aria-sort") === "ascending", body = table.tBodies[0], part = [];
    function flush() {
      part.sort(function (a, b) { return (down ? -1 : 1) * compare(value(a.cells[index]), value(b.cells[index])); });
      part.forEach(function (row) { body.append(row); });
      part = [];
    }
    Array.from(body.rows).forEach(function (row) {
      if (row.className === "group") { flush(); body.append(row); } else { part.push(row); }
    });
    flush();
    all("th[aria-sort]", table).forEach(function (th) { th.removeAttribute("aria-sort"); });
    heading.setAttribute("aria-sort", down ? "descending" : "ascending");
  }
  function quoted(text) {
    var safe = /^[=+\-@\t\r]/.test(text) && isNaN(Number(text)) ? "'" + text : text;
    return /[",\n]/.test(safe) ? '"' + safe.replace(/"/g, '""') + '"' : safe;
  }
  function save(table, name) {
    var lines = Array.from(table.rows).map(function (row) {
      return Array.from(row.cells).map(function (cell) { return quoted(cell.textContent.trim()); }).join(",");
    });
    var link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([lines.join("\r\n") + "\r\n"], { type: "text/csv" }));
    link.download = name + ".csv";
    link.click();
    URL.revokeObjectURL(link.href);
  }
  all("table.data").forEach(function (table) {
    all("thead th", table).forEach(function (th) {
      var button = document.createElement("button");
      button.type = "button";
      button.textContent = th.textContent;
      th.replaceChildren(button);
      button.addEventListener("click", function () { sort(table, th.cellIndex, th); });
    });
    var link = document.createElement("button");
    link.type = "button";
    link.className = "save";
    link.textContent = "Save as CSV";
    link.setAttribute("aria-label", "Save as CSV: " + table.caption.textContent);
    link.addEventListener("click", function () { save(table, table.id.replace(/^table-/, "")); });
    table.parentNode.after(link);
  });

  // the address: a place in the page, or a choice
  function follow() {
    var now = state(), target = location.hash.indexOf("=") < 0 && root.getElementById(decodeURIComponent(location.hash.slice(1)));
    for (var one = target; one; one = one.parentElement) { if (one.tagName === "DETAILS") { one.open = true; } }
    if (target) { target.scrollIntoView(); }
    if (!target || Object.keys(now).length) {
      radios.forEach(function (radio) { if (radio.value === now.m) { radio.checked = true; } });
      all("div.case").forEach(function (holder) { holder.restore(now); });
    }
  }
  window.addEventListener("hashchange", follow);
  follow();
}());
