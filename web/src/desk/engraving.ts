/**
 * The one door by which an engraved system enters the page. The drawing is made by our own server, but it holds words that people typed, so nothing
 * that could run or load anything is let in, whatever those words are.
 */
const SVG = 'http://www.w3.org/2000/svg'
const REFUSED = new Set(['script', 'foreignobject', 'iframe', 'object', 'embed', 'image', 'a', 'animate', 'set', 'handler', 'style', 'link', 'audio', 'video'])

function harmless(element: Element): void {
  for (const child of [...element.children]) {
    if (child.namespaceURI !== SVG || REFUSED.has(child.localName.toLowerCase())) child.remove()
    else harmless(child)
  }
  for (const { name, value } of [...element.attributes]) {
    const plain = name.toLowerCase()
    const address = plain === 'href' || plain === 'xlink:href' || plain === 'src'
    if (plain.startsWith('on') || plain === 'style' || (address && !value.startsWith('#')) || /url\((?!['"]?#)/i.test(value)) element.removeAttribute(name)
  }
}

/** The drawing as an element of the page; an empty one if it cannot be read. */
export function drawingOf(svg: string): SVGSVGElement {
  const parsed = new DOMParser().parseFromString(svg, 'image/svg+xml').documentElement
  if (parsed.namespaceURI !== SVG || parsed.localName !== 'svg') return document.createElementNS(SVG, 'svg')
  harmless(parsed)
  return document.adoptNode(parsed) as unknown as SVGSVGElement
}
