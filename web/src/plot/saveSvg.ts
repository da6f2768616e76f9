/** Properties that style sheets give to a drawing, which a file of its own must carry in itself. */
const CARRIED = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-linecap",
  "stroke-linejoin",
  "opacity",
  "font-family",
  "font-size",
  "font-weight",
  "font-style",
  "text-anchor",
  "paint-order",
];

/** A drawing as the text of an SVG file: its styles inside it, on the ground of the screen. */
export function svgText(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const shown = [svg, ...svg.querySelectorAll<SVGElement>("*")];
  const copies = [copy, ...copy.querySelectorAll<SVGElement>("*")];
  shown.forEach((element, i) => {
    const style = getComputedStyle(element);
    const into = copies[i];
    if (!into) return;
    for (const name of CARRIED) {
      const value = style.getPropertyValue(name);
      if (value) into.style.setProperty(name, value);
    }
    for (const name of ["class", "role", "tabindex"]) into.removeAttribute(name);
  });
  for (const element of copy.querySelectorAll("foreignObject, [data-handle]")) element.remove();
  const [x = 0, y = 0, width = 0, height = 0] = (svg.getAttribute("viewBox") ?? "").split(" ").map(Number);
  const ground = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  for (const [name, value] of Object.entries({ x: x - 10, y: y - 10, width: width + 20, height: height + 20 }))
    ground.setAttribute(name, String(value));
  ground.setAttribute("fill", getComputedStyle(document.body).backgroundColor);
  copy.prepend(ground);
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("viewBox", `${x - 10} ${y - 10} ${width + 20} ${height + 20}`);
  copy.setAttribute("width", String(width + 20));
  copy.setAttribute("height", String(height + 20));
  return new XMLSerializer().serializeToString(copy);
}

/** Hand a file to the person. */
export function saveText(text: string, name: string, type: string): void {
  saveBlob(new Blob([text], { type }), name);
}

function saveBlob(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

/** Hand a drawing to the person as an SVG file. */
export function saveSvg(svg: SVGSVGElement | null, name: string): void {
  if (svg) saveText(svgText(svg), `${name}.svg`, "image/svg+xml");
}

/** Hand a drawing to the person as a picture of twice its size. */
export async function savePng(svg: SVGSVGElement | null, name: string): Promise<void> {
  if (!svg) return;
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svgText(svg))}`;
  await picture.decode();
  const canvas = document.createElement("canvas");
  canvas.width = 2 * picture.width;
  canvas.height = 2 * picture.height;
  canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done));
  if (blob) saveBlob(blob, `${name}.png`);
}
