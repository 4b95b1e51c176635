import { defineConfigWithVueTs, vueTsConfigs } from '@vue/eslint-config-typescript'
import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'

export default defineConfigWithVueTs(
  { ignores: ['generated/schema.d.ts'] },
  vue.configs['flat/recommended'],
  vueTsConfigs.strict,
  prettier,
)
