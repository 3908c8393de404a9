/** A setup's mark: letter, colour, shape and dash together, the same on every screen. */
export interface Mark {
  letter: string
  colour: string
  shape: Shape
  /** Line dash in px; empty is solid. */
  dash: number[]
  /** Setups beyond the sixth repeat colour and shape, with a ring and another dash. */
  ringed: boolean
}

export type Shape = 'circle' | 'square' | 'triangle' | 'diamond' | 'hexagon' | 'pentagon'
export type Ground = 'daylight' | 'stand'

const SHAPES: Shape[] = ['circle', 'square', 'triangle', 'diamond', 'hexagon', 'pentagon']
const DASHES: number[][] = [
  [],
  [9, 4],
  [2, 3],
  [9, 3, 2, 3],
  [5, 3],
  [9, 3, 2, 3, 2, 3],
  [18, 4],
  [14, 3, 5, 3],
  [2, 7],
  [18, 3, 2, 3],
  [5, 7],
  [14, 3, 2, 3, 2, 3, 2, 3],
]
const COLOURS: Record<Ground, string[]> = {
  daylight: ['#1B6CA8', '#B8460F', '#0B7A5E', '#7B45B0', '#8A6A00', '#B02A73'],
  stand: ['#5BA7E0', '#E08A4F', '#4CBF98', '#B58AE0', '#D3B04A', '#E37DB3'],
}

/** A to Z, then AA to AZ. */
export function letterOf(position: number): string {
  return (position >= 26 ? 'A' : '') + String.fromCharCode(65 + (position % 26))
}

export function markOf(position: number, ground: Ground = 'daylight'): Mark {
  const index = position % SHAPES.length
  return {
    letter: letterOf(position),
    colour: COLOURS[ground][index]!,
    shape: SHAPES[index]!,
    dash: DASHES[position % DASHES.length]!,
    ringed: position >= SHAPES.length,
  }
}

/** Corners of a shape in a 24 by 24 box as an SVG path; the circle is made of two arcs. */
export function shapePath(shape: Shape): string {
  switch (shape) {
    case 'circle':
      return 'M12 2.5A9.5 9.5 0 0 1 12 21.5A9.5 9.5 0 0 1 12 2.5Z'
    case 'square':
      return 'M3.5 3.5H20.5V20.5H3.5Z'
    case 'triangle':
      return 'M12 1L23 21.5H1Z'
    case 'diamond':
      return 'M12 0.5L23.5 12L12 23.5L0.5 12Z'
    case 'hexagon':
      return polygon(6)
    case 'pentagon':
      return polygon(5)
  }
}

function polygon(corners: number): string {
  const points = Array.from({ length: corners }, (_, corner) => {
    const angle = (2 * Math.PI * corner) / corners - Math.PI / 2
    return `${(12 + 11 * Math.cos(angle)).toFixed(2)} ${(12 + 11 * Math.sin(angle)).toFixed(2)}`
  })
  return `M${points.join('L')}Z`
}
