<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useFolio } from './folio/folio'
import { useNotes } from './folio/notes'
import { useNotices } from './folio/notices'
import WholeTake from './lanes/WholeTake.vue'
import { usePlayer } from './player/store'
import DialogHost from './ui/DialogHost.vue'
import FirstSteps from './ui/FirstSteps.vue'
import NoticeList from './ui/NoticeList.vue'
import PlayerBar from './ui/PlayerBar.vue'
import StationList from './ui/StationList.vue'
import TitleBar from './ui/TitleBar.vue'
import { listenForKeys } from './ui/shortcuts'

const route = useRoute()
const router = useRouter()
const notices = useNotices()
const folio = useFolio()
const notes = useNotes()
const player = usePlayer()
const dropping = ref(false)
/** Files that a folio is being begun with. */
const dropped: File[] = []
const folioId = computed(() => String(route.params.folio ?? ''))
let deaf: () => void = () => undefined

onMounted(() => (deaf = listenForKeys()))
onBeforeUnmount(() => deaf())

// Several pieces may be open, each in its own tab of the browser.
watchEffect(() => {
  document.title = folio.state ? `${folio.state.settings.title}, Honest Stave` : 'Honest Stave'
})
watch(
  folioId,
  async (id) => {
    player.stop()
    notes.partId = notes.readingId = notes.takeId = ''
    if (!id) return folio.close()
    await folio.open(id)
    if (folio.state) void folio.bringIn(dropped.splice(0))
  },
  { immediate: true },
)
// A reading that has just come in is shown if its take is in view and no part is.
watch(
  () => folio.freshReading,
  (fresh) => {
    if (fresh && fresh.take === notes.takeId) void notes.showReading(fresh.reading)
  },
)

async function filesOf(transfer: DataTransfer): Promise<File[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.()).filter((e) => e != null)
  if (!entries.length) return [...transfer.files]
  const found: File[] = []
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      found.push(await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed)))
      return
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader()
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed))
      if (!some.length) return
      for (const inner of some) await walk(inner)
    }
  }
  for (const entry of entries) await walk(entry)
  return found
}
/** Files are dropped into the folio in view; where none is, they begin one. */
async function drop(event: DragEvent) {
  dropping.value = false
  if (!event.dataTransfer) return
  const files = await filesOf(event.dataTransfer)
  if (!files.length) return
  if (folioId.value) return folio.bringIn(files)
  const title = files.length === 1 ? files[0].name.replace(/\.[^.]*$/, '').slice(0, 100) : ''
  try {
    const made = await folio.make(title)
    dropped.push(...files)
    await router.push({ name: 'takes', params: { folio: made } })
  } catch (error) {
    notices.tellProblem(error)
  }
}
function over(event: DragEvent) {
  // What is dragged out of here, a file that was handed on, is not brought in.
  dropping.value = event.dataTransfer?.types.includes('Files') ?? false
}
</script>

<template>
  <div class="frame" @dragover.prevent="over" @dragleave.self="dropping = false" @drop.prevent="drop">
    <RouterView v-if="!folioId" />
    <template v-else-if="folio.state">
      <TitleBar />
      <WholeTake />
      <div class="middle">
        <StationList />
        <RouterView />
      </div>
      <PlayerBar />
      <FirstSteps />
      <DialogHost />
    </template>
    <p v-else class="waiting" role="status">
      <template v-if="folio.failed"> {{ folio.failed }} <RouterLink to="/">All folios</RouterLink> </template>
      <template v-else>Opening the folio…</template>
    </p>
    <NoticeList />
    <div v-if="dropping" class="dropping" @dragleave="dropping = false">
      {{ folioId ? 'Let go to bring these files in' : 'Let go to begin a folio with these files' }}
    </div>
  </div>
</template>

<style scoped>
.frame {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.middle {
  flex: 1;
  display: flex;
  min-height: 0;
}
.waiting {
  margin: 80px auto;
}
.dropping {
  position: fixed;
  inset: 0;
  z-index: 50;
  display: grid;
  place-items: center;
  font: 600 22px var(--title-face);
  color: var(--ink);
  background: color-mix(in srgb, var(--panel) 88%, transparent);
  border: 3px dashed var(--ink);
}
</style>
