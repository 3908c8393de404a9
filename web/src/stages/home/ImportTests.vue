<script setup lang="ts">
/** Tests from a file: chosen here, looked into and imported in a dialog of that file alone. */
import { ref } from 'vue'

import FileButton from '../../ui/FileButton.vue'
import ImportDialog from './ImportDialog.vue'

const file = ref<File | null>(null)
</script>

<template>
  <span class="ml-auto mr-3">
    <FileButton accept=".zip" label="Tests in one file" @chosen="([chosen]) => (file = chosen ?? null)">
      Import tests…
    </FileButton>
    <ImportDialog v-if="file" :file="file" @close="file = null" />
  </span>
</template>
