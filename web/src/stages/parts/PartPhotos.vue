<script setup lang="ts">
/** Photographs of a part; an upload is checked and made anew on the server. */
import { ref } from 'vue'

import { type Problem, upload } from '../../app/api/client'
import FileButton from '../../ui/FileButton.vue'
import type { Part } from './useParts'

const props = defineProps<{ part: Part; mayOperate: boolean }>()
const emit = defineEmits<{ changed: [part: Part] }>()
const caption = ref('')
const message = ref('')
const sending = ref(false)

async function send([file]: File[]) {
  sending.value = true
  try {
    emit(
      'changed',
      await upload<Part>(`/api/parts/${props.part.id}/photos`, file!, { caption: caption.value }),
    )
    caption.value = ''
    message.value = ''
  } catch (caught) {
    const problem = caught as Problem
    message.value = problem.fields?.file ? `${problem.message} ${problem.fields.file}.` : problem.message
  } finally {
    sending.value = false
  }
}
</script>

<template>
  <section>
    <h2>Pictures</h2>
    <div class="photos d-flex flex-wrap ga-3">
      <figure v-for="photo in part.photos" :key="photo.id">
        <a :href="`/api/photos/${photo.id}`" target="_blank" rel="noopener">
          <img :src="`/api/photos/${photo.id}`" :alt="photo.caption || part.name" loading="lazy" />
        </a>
        <figcaption class="quiet">{{ photo.caption }}</figcaption>
      </figure>
    </div>
    <p v-if="message" class="message" role="alert">{{ message }}</p>
    <div v-if="mayOperate" class="d-flex ga-2 mt-2">
      <v-text-field v-model="caption" placeholder="What it shows" aria-label="What the picture shows" />
      <FileButton
        accept="image/jpeg,image/png,image/webp"
        label="Picture of the part"
        :loading="sending"
        @chosen="send"
      >
        Add picture…
      </FileButton>
    </div>
  </section>
</template>

<style scoped>
figure {
  margin: 0;
}
img {
  width: 220px;
  height: 165px;
  object-fit: cover;
  border: 1px solid var(--line);
  display: block;
}
</style>
