/** A few words of the verdict, the same on the screen as on the sheet (server: verdicts/customer_report/report.py). */
import type { Schema } from '../api/client'
import { figure } from '../figures'

/** Never surer than 99, nor more hopeless than 1. */
export function chance(percent: number): string {
  return percent > 99 ? '> 99' : percent < 1 ? '< 1' : figure(percent, 0)
}

export function standing(placing: Schema['PlacingOut'], verdict: Schema['Verdict']): string {
  if (!placing.supported) return 'not compared'
  if (placing.fails.length) return 'out'
  if (!placing.with_the_best) return 'behind'
  return verdict.winner_id === placing.setup_id ? 'best' : 'wash'
}
