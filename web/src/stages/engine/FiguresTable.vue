<script setup lang="ts">
/** A table of figures as the server sends it: columns with their unit, rows of numbers. */
import type { Schema } from '../../app/api/client'
import { figure } from '../../ui/figures'

defineProps<{ table: Schema['TableOut']; caption: string }>()
</script>

<template>
  <v-table class="figures">
    <caption class="visually-hidden">
      {{
        caption
      }}
    </caption>
    <thead>
      <tr>
        <th v-for="column in table.columns" :key="column.label">
          {{ column.label.trim() }}<br />{{ column.unit }}
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(row, number) in table.rows" :key="number">
        <td v-for="(cell, column) in row" :key="column">{{ figure(cell, table.columns[column]!.digits) }}</td>
      </tr>
    </tbody>
  </v-table>
</template>
