import { createRoot } from 'react-dom/client'
import { App } from './App'
import { musicFont } from './fonts'
import { keepShell } from './installed'
import '@fontsource/alegreya/400.css'
import '@fontsource/alegreya/500.css'
import '@fontsource/alegreya/700.css'
import '@fontsource/alegreya/400-italic.css'
import '@fontsource/noto-serif-hebrew/hebrew-400.css'
import '@fontsource/noto-naskh-arabic/arabic-400.css'
import '@fontsource/alegreya-sans/400.css'
import '@fontsource/alegreya-sans/500.css'
import '@fontsource/alegreya-sans/700.css'
import './styles.css'
import '../sheet/sheet.css'
import '../print/print.css'

keepShell()
void musicFont()
createRoot(document.getElementById('root')!).render(<App />)
