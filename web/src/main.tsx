import '@fontsource-variable/inter';
import '@fontsource-variable/literata';
import '@fontsource-variable/jetbrains-mono';
import './look.css';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { RouterProvider } from 'react-router';
import { router } from './router.tsx';

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <RouterProvider router={router} />
  </StrictMode>,
);
