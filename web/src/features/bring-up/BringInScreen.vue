<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { useComing } from './expected-hosts'
import { answered, api, type Schemas } from '../../api/client'
import ComingList from '../yard/ComingList.vue'
import { useAction } from '../../kit/useAction'
import { keepCommand } from './issued-command'
import PassList from './PassList.vue'
import WhichMachine from './WhichMachine.vue'
import { systemName } from '../../kit/format'

/** Which machine is coming, and what does it need before it can? `name` is that of a host whose agent is installed again. */
const { name = '' } = defineProps<{ name?: string }>()
const router = useRouter()
const coming = useComing()
const choices = ref<Schemas['Choices'] | null>(null)
const system = ref<Schemas['SystemChoices'] | null>(null)
const { trouble, perform } = useAction()

void coming.load()
void perform(async () => {
  choices.value = await answered(api.GET('/api/v1/bring-up-choices/'))
})

async function follow(made: Schemas['NewBringUp']): Promise<void> {
  keepCommand(made)
  await router.push({ name: 'bring-up', params: { id: String(made.sheet.id) } })
}
</script>

<template>
  <div class="screen">
    <div class="head row">
      <h1>Bring in a host</h1>
      <p class="soft">Describe the machine. Then run one command on it; its sheet tracks it to its first job.</p>
      <RouterLink class="many" :to="{ name: 'bring-many' }">Import many from a table</RouterLink>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="choices" class="columns">
      <WhichMachine :choices="choices" :name="name" @made="follow" @system="system = $event" />
      <aside>
        <section v-if="system" class="needs" aria-label="What it needs">
          <h2>Prerequisites on {{ systemName(system.system) }}</h2>
          <ul>
            <li v-for="one in system.prerequisites" :key="one">{{ one }}</li>
          </ul>
        </section>
        <ComingList />
        <PassList />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.head {
  gap: 14px;
  margin-bottom: 14px;
}

.head .soft {
  flex: 1;
}

.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 400px;
  gap: 36px;
}

aside {
  display: flex;
  flex-direction: column;
  gap: 24px;
}

.needs {
  padding: 12px 14px;
  border: 2px solid var(--fence);
  border-radius: 3px;
  background: var(--paper-deep);
}

.needs ul {
  margin: 6px 0 0;
  padding-left: 18px;
}

@media (width < 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
