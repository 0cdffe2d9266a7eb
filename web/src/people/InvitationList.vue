<script setup lang="ts">
import type { Schema } from '@/api/client'
import { moment } from '@/api/words'
import { roleLabel } from '@/stores/self'

/** Links that are still open. */
defineProps<{ list: Schema['Invitation'][] }>()
defineEmits<{ withdraw: [id: string] }>()
</script>

<template>
  <table v-if="list.length > 0" class="plain">
    <thead>
      <tr>
        <th>Open link for</th>
        <th>To</th>
        <th>Invited by</th>
        <th>Works until</th>
        <th />
      </tr>
    </thead>
    <tbody>
      <tr v-for="i in list" :key="i.id">
        <td>{{ i.mail || 'whoever has it' }}</td>
        <td>
          {{
            i.person ? 'a new password' : i.owner ? 'own the installation' : `${roleLabel(i.role ?? '')}, ${i.corpus}`
          }}
        </td>
        <td>{{ i.invitedBy }}</td>
        <td :title="moment(i.expiresAt).zone">{{ moment(i.expiresAt).text }}</td>
        <td><button class="linkish" @click="$emit('withdraw', i.id)">Withdraw</button></td>
      </tr>
    </tbody>
  </table>
</template>
