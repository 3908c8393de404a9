/** How curves of each nature are drawn and called, on every chart: none is taken for another. */
export type Nature = 'measured' | 'simulated' | 'figures' | 'inferred' | 'transferred'

export const NATURES: Record<Nature, { word: string; line: string }> = {
  measured: { word: 'measured', line: 'full line' },
  simulated: { word: 'simulated', line: 'hollow line' },
  figures: { word: 'printed figures', line: 'circles' },
  inferred: { word: 'inferred, not measured', line: 'round dots' },
  transferred: { word: 'transferred, not measured', line: 'crosses' },
}

/** What nobody ran an engine for: its band is an outline, not an area. */
export const isEstimate = (nature: Nature) => nature === 'inferred' || nature === 'transferred'

interface Line {
  lineStyle: object
}

/** A crossed mark that is seen on any ground. */
const CROSS = 'path://M-5,-1.2H-1.2V-5H1.2V-1.2H5V1.2H1.2V5H-1.2V1.2H-5Z'

/** The series that draw a line by its nature. `line` is as it would be measured; `ground` what lies behind it. */
export function natureLines<Series extends Line>(
  nature: Nature,
  line: Series,
  colour: string,
  ground: string,
): object[] {
  switch (nature) {
    case 'measured':
      return [line]
    case 'simulated':
      return [
        { ...line, lineStyle: { ...line.lineStyle, width: 3.5 } },
        { ...line, lineStyle: { ...line.lineStyle, width: 1.5, color: ground }, z: 5 },
      ]
    case 'figures':
      return [marked(line, 'emptyCircle', 4, colour)]
    case 'inferred':
      return [{ ...line, lineStyle: { color: colour, width: 4, type: [0.1, 7], cap: 'round' } }]
    case 'transferred':
      return [marked(line, CROSS, 7, colour)]
  }
}

function marked(line: Line, symbol: string, size: number, colour: string) {
  return {
    ...line,
    lineStyle: { opacity: 0 },
    showSymbol: true,
    showAllSymbol: 'auto',
    symbol,
    symbolSize: size,
    itemStyle: { color: colour },
  }
}
