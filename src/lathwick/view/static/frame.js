// The controls around a view, the same in a saved file and on the page.

const $ = (id) => document.getElementById(id);

export function frame(PartView, library, model, events = {}) {
  const number = (x) => Number(x.toPrecision(7)).toString();
  let hovered = "", picked = "";
  const tell = () => { $("found").textContent = picked || hovered; };
  const view = new PartView($("view"), library, {
    hover(face) {
      hovered = face ? `${face.name}\n${face.kind}, ${number(face.area)} ${view.model.unit}²` : "";
      tell();
      events.hover?.(face);
    },
    pick(picks) {
      picked = picks.map((p) => p.name).join("\n");
      if (picks.length === 2) {
        const away = Math.hypot(...picks[0].point.map((c, k) => c - picks[1].point[k]));
        picked += `\n${number(away)} ${view.model.unit} between the two places`;
      }
      tell();
      events.pick?.(picks);
    },
  });
  const caption = () => {
    $("told").replaceChildren();
    const title = document.createElement("h1"), line = document.createElement("p");
    title.textContent = view.model.name;
    line.textContent = view.model.caption;
    $("told").append(title, line);
  };
  for (const button of document.querySelectorAll("[data-view]"))
    button.addEventListener("click", () => view.look(button.dataset.view));
  $("fit").addEventListener("click", () => view.fit());
  $("opacity").addEventListener("input", () => view.setOpacity(Number($("opacity").value)));
  const cut = () => view.setSection($("axis").value, Number($("share").value));
  $("axis").addEventListener("change", cut);
  $("share").addEventListener("input", cut);
  const show = (next) => { view.show(next); caption(); };
  if (model) show(model);
  return { view, show, note(text) { picked = text; tell(); } };
}
