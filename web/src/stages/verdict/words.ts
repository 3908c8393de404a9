/** A few words of the verdict, the same on the screen as on the sheet (server: verdicts/customer_report/report.py). */
import type { Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'

/** Never surer than 99, nor more hopeless than 1; nothing while no other setup can be compared. */
export function chance(percent: number | null): string {
  if (percent === null) return '–'
  return percent > 99 ? '> 99' : percent < 1 ? '< 1' : figure(percent, 0)
}

export function standing(placing: Schema['PlacingOut'], verdict: Schema['Verdict']): string {
  if (!placing.supported) return 'not compared'
  if (placing.fails.length) return 'out'
  if (!placing.with_the_best) return 'behind'
  if (verdict.winner_id === placing.setup_id) return 'best'
  return { equal: 'equal', small: 'wash', undecided: 'undecided' }[verdict.level_state] ?? 'alone'
}

/** What is said of a difference that is neither ahead nor behind; nothing of one that is. */
export function undividedWords(state: string | undefined, atMostPercent?: number): string {
  const within = atMostPercent === undefined ? '' : ` within ${figure(atMostPercent)} %`
  if (state === 'equal') return 'equal'
  if (state === 'small') return `wash${within}`
  return state === 'undecided' ? `undecided${within}` : ''
}
