<script setup lang="ts">
import { Button } from 'ant-design-vue'
import { ref } from 'vue'
import { answered, api, type Schemas } from '../../api/client'
import { gathered, onNote } from '../../live/feed'
import LogbookLines from './LogbookLines.vue'

/** Who did what to which thing, and when? */
const PAGE = 50
const lines = ref<Schemas['Entry'][]>([])
const pages = ref(1)
const hasMore = ref(false)
const trouble = ref('')

async function load(): Promise<void> {
  try {
    const answer = await answered(api.GET('/api/v1/logbook/', { params: { query: { page_size: PAGE * pages.value } } }))
    lines.value = answer.results
    hasMore.value = answer.next !== null && pages.value < 20
    trouble.value = ''
  } catch (error) {
    trouble.value = (error as Error).message
  }
}

function more(): void {
  pages.value += 1
  void load()
}

void load()
const loadSoon = gathered(load, 300)
onNote((note) => {
  if (note.noun !== 'log') loadSoon()
})
</script>

<template>
  <div class="screen">
    <h1>Logbook</h1>
    <p class="soft">Every change, newest first. Entries are never changed or removed.</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <LogbookLines :lines="lines" />
    <p v-if="hasMore"><Button @click="more">Show older entries</Button></p>
  </div>
</template>

<style scoped>
p {
  margin: 2px 0 10px;
}
</style>
