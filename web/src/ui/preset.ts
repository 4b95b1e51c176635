/** The component library's tokens, set to our roles, so that its parts look like the rest. */
import { definePreset } from '@primeuix/themes'
import Aura from '@primeuix/themes/aura'

const scheme = {
  surface: {
    0: 'var(--panel)',
    50: 'var(--panel)',
    100: 'var(--paper)',
    200: 'var(--hairline)',
    300: 'var(--rule)',
    400: 'var(--stave)',
    500: 'var(--soft)',
    600: 'var(--soft)',
    700: 'var(--text)',
    800: 'var(--text)',
    900: 'var(--text)',
    950: 'var(--text)',
  },
  primary: {
    color: 'var(--ink)',
    contrastColor: 'var(--on-ink)',
    hoverColor: 'var(--ink)',
    activeColor: 'var(--ink)',
  },
  highlight: {
    background: 'var(--sunk)',
    focusBackground: 'var(--sunk)',
    color: 'var(--text)',
    focusColor: 'var(--text)',
  },
  text: {
    color: 'var(--text)',
    hoverColor: 'var(--text)',
    mutedColor: 'var(--soft)',
    hoverMutedColor: 'var(--soft)',
  },
  content: {
    background: 'var(--panel)',
    hoverBackground: 'var(--sunk)',
    borderColor: 'var(--rule)',
    color: 'var(--text)',
    hoverColor: 'var(--text)',
  },
  overlay: {
    select: { background: 'var(--panel)', borderColor: 'var(--rule)', color: 'var(--text)' },
    modal: { background: 'var(--panel)', borderColor: 'var(--rule)', color: 'var(--text)' },
  },
  formField: {
    background: 'var(--panel)',
    borderColor: 'var(--rule)',
    hoverBorderColor: 'var(--ink)',
    focusBorderColor: 'var(--ink)',
    color: 'var(--text)',
    placeholderColor: 'var(--soft)',
    shadow: 'none',
  },
}

export const paperPreset = definePreset(Aura, {
  primitive: {
    borderRadius: { none: '0', xs: '2px', sm: '3px', md: '3px', lg: '3px', xl: '3px' },
  },
  semantic: {
    colorScheme: { light: scheme, dark: scheme },
    formField: { paddingX: '8px', paddingY: '4px', borderRadius: '3px' },
    overlay: { modal: { borderRadius: '3px', shadow: 'none', padding: '20px' } },
  },
})
