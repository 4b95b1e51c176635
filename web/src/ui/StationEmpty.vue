<script setup lang="ts">
import FilePicker from './FilePicker.vue'
</script>

<template>
  <div class="empty">
    <h2>Bring in a recording</h2>
    <p>
      Drop files or folders anywhere on this window: WAV, FLAC, AIFF, MP3, Ogg, Opus, M4A, MIDI or MusicXML.
      They stay on this machine.
    </p>
    <FilePicker main />
  </div>
</template>

<style scoped>
.empty {
  margin: 90px auto;
  max-width: 430px;
}
h2 {
  font: 600 22px var(--title-face);
}
</style>
