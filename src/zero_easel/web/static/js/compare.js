// Two pictures in step: one view, in px of the finished picture, moved and zoomed for both sides at once. The other is
// laid under the same view through the map that placed it, so that the same thing always lies at the same place.

const root = document.querySelector("#two-sides");
if (root) {
  const [left, right] = [JSON.parse(root.dataset.left), JSON.parse(root.dataset.right)];
  const canvases = [...root.querySelectorAll("canvas")];
  const message = document.querySelector("#zoom-message");
  const view = { scale: 1, x: 0, y: 0 };
  const state = { flipped: false, difference: false };
  const MOST = 32;

  const load = (layer) => {
    layer.image = new Image();
    layer.image.src = layer.src;
    layer.image.decode().then(() => draw(), () => (message.textContent = `${layer.label} cannot be shown here`));
  };

  const inverse = ([a, b, c, d, e, f]) => {
    const k = a * d - b * c;
    return [d / k, -b / k, -c / k, a / k, (c * f - d * e) / k, (b * e - a * f) / k];
  };
  const then = (m, n) => [
    n[0] * m[0] + n[2] * m[1], n[1] * m[0] + n[3] * m[1], n[0] * m[2] + n[2] * m[3], n[1] * m[2] + n[3] * m[3],
    n[0] * m[4] + n[2] * m[5] + n[4], n[1] * m[4] + n[3] * m[5] + n[5],
  ];
  // From px of a layer to px of the left one; without a map the two are laid over each other at full size.
  const onto = (layer) => {
    if (layer === left) return [1, 0, 0, 1, 0, 0];
    if (layer.matrix && left.matrix) return then(inverse(layer.matrix), left.matrix);
    return [left.width / layer.width, 0, 0, left.height / layer.height, 0, 0];
  };

  const paint = (context, layer, mode) => {
    if (!layer.image.complete || !layer.image.naturalWidth) return;
    const m = then(onto(layer), [view.scale, 0, 0, view.scale, view.x, view.y]);
    context.setTransform(...m);
    // Larger than life, pixels are shown as they are.
    context.imageSmoothingEnabled = Math.hypot(m[0], m[1]) < 2;
    context.imageSmoothingQuality = "high";
    context.globalCompositeOperation = mode;
    context.drawImage(layer.image, 0, 0, layer.width, layer.height);
  };

  const clear = (context, colour) => {
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.filter = "none";
    context.globalCompositeOperation = "source-over";
    context.fillStyle = colour;
    context.fillRect(0, 0, context.canvas.width, context.canvas.height);
  };

  const drawDifference = (context) => {
    clear(context, "#000");
    paint(context, left, "source-over");
    paint(context, right, "difference");
    const times = Number(document.querySelector("#amplify").value);
    const copy = document.createElement("canvas");
    copy.width = context.canvas.width;
    copy.height = context.canvas.height;
    const other = copy.getContext("2d");
    other.filter = `brightness(${times})`;
    other.drawImage(context.canvas, 0, 0);
    clear(context, "#000");
    context.drawImage(copy, 0, 0);
  };

  let waiting = false;
  const draw = () => {
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(() => {
      waiting = false;
      const order = state.flipped ? [right, left] : [left, right];
      canvases.forEach((canvas, at) => {
        const context = canvas.getContext("2d");
        if (at === 1 && state.difference) return drawDifference(context);
        clear(context, "#dcdcd9");
        paint(context, order[at], "source-over");
      });
      root.querySelectorAll("figcaption").forEach((caption, at) => {
        const layer = order[at];
        const label = at === 1 && state.difference ? `difference of ${left.label} and ${right.label}` : layer.label;
        caption.firstChild.textContent = `${label} `;
        caption.querySelector("span").textContent = at === 1 && state.difference ? "" : layer.facts;
      });
      message.textContent = `${Math.round((view.scale / ratio()) * 100)} %`;
    });
  };

  const ratio = () => window.devicePixelRatio || 1;

  const fit = () => {
    const { width, height } = canvases[0];
    view.scale = Math.min(width / left.width, height / left.height);
    view.x = (width - left.width * view.scale) / 2;
    view.y = (height - left.height * view.scale) / 2;
    draw();
  };

  const zoomAt = (scale, x, y) => {
    const to = Math.min(MOST * ratio(), Math.max(0.02, scale));
    view.x = x - ((x - view.x) * to) / view.scale;
    view.y = y - ((y - view.y) * to) / view.scale;
    view.scale = to;
    draw();
  };

  const middle = () => [canvases[0].width / 2, canvases[0].height / 2];
  const hundred = () => zoomAt(ratio(), ...middle());

  const resize = () => {
    for (const canvas of canvases) {
      canvas.width = Math.round(canvas.clientWidth * ratio());
      canvas.height = Math.round(canvas.clientHeight * ratio());
    }
    fit();
  };

  for (const canvas of canvases) {
    canvas.addEventListener("wheel", (event) => {
      event.preventDefault();
      zoomAt(view.scale * Math.exp(-event.deltaY / 400), event.offsetX * ratio(), event.offsetY * ratio());
    }, { passive: false });
    canvas.addEventListener("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      canvas.focus({ preventScroll: true });
    });
    canvas.addEventListener("pointermove", (event) => {
      if (!canvas.hasPointerCapture(event.pointerId)) return;
      view.x += event.movementX * ratio();
      view.y += event.movementY * ratio();
      draw();
    });
    canvas.addEventListener("dblclick", hundred);
  }

  const toggle = (which) => {
    state[which] = !state[which];
    document.querySelector(which === "flipped" ? "#flip" : "#difference").setAttribute("aria-pressed", String(state[which]));
    document.querySelector("#amplify-wrap").hidden = !state.difference;
    draw();
  };

  document.querySelector("#whole").addEventListener("click", fit);
  document.querySelector("#hundred").addEventListener("click", hundred);
  document.querySelector("#flip").addEventListener("click", () => toggle("flipped"));
  document.querySelector("#difference").addEventListener("click", () => toggle("difference"));
  document.querySelector("#amplify").addEventListener("change", draw);
  document.querySelector("#beside").addEventListener("change", ({ target }) => {
    window.location.search = target.value === "0" ? "" : `beside=${target.value}`;
  });
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
    if (event.target.matches("input, select")) return;
    const step = 60 * ratio();
    const does = {
      b: () => toggle("flipped"), h: hundred, d: () => toggle("difference"), w: fit,
      "+": () => zoomAt(view.scale * 1.25, ...middle()), "-": () => zoomAt(view.scale / 1.25, ...middle()),
    };
    const moves = { ArrowUp: [0, step], ArrowDown: [0, -step] };
    if (moves[event.key]) {
      view.x += moves[event.key][0];
      view.y += moves[event.key][1];
      draw();
    } else if (does[event.key]) does[event.key]();
    else return;
    event.preventDefault();
    event.stopImmediatePropagation();
  }, { capture: true });

  load(left);
  load(right);
  new ResizeObserver(resize).observe(canvases[0]);
}
