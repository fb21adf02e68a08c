/**
 * The one door by which an engraved system enters the page. The drawing is made by our own server, but it holds words
 * that people typed, so only elements and attributes that can neither run nor load anything are let in.
 */
const SVG = 'http://www.w3.org/2000/svg'
const ALLOWED = new Set(
  'svg g defs symbol use path rect line polyline polygon circle ellipse text tspan title desc'.split(' '),
)
const ADDRESSES = new Set(['href', 'xlink:href', 'src'])
const LOADS = /url\((?!['"]?#)/i

/** Take out every other element, and every attribute that could run or load something. */
function makeHarmless(root: Element): void {
  for (const element of [root, ...root.querySelectorAll('*')]) {
    if (element.namespaceURI !== SVG || !ALLOWED.has(element.localName)) {
      element.remove()
      continue
    }
    for (let i = element.attributes.length - 1; i >= 0; i--) {
      const { name, value } = element.attributes[i]!
      const plain = name.toLowerCase()
      const leadsAway = ADDRESSES.has(plain) && !value.startsWith('#')
      if (leadsAway || plain.startsWith('on') || plain === 'style' || LOADS.test(value)) element.removeAttribute(name)
    }
  }
}

/**
 * The drawing as an element of the page; an empty one if it cannot be read. The HTML parser is used: it takes less than
 * half the time of the XML parser.
 */
export function drawingOf(svg: string): SVGSVGElement {
  const inert = document.createElement('template') // nothing in it runs or loads
  inert.innerHTML = svg
  const parsed = inert.content.firstElementChild
  if (!(parsed instanceof SVGSVGElement)) return document.createElementNS(SVG, 'svg')
  makeHarmless(parsed)
  return document.adoptNode(parsed)
}
